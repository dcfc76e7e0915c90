"use client";
import type { SeamClass } from "@wet-thread/core/seam/seams";
import { X } from "lucide-react";
import { setSettings } from "@/state/kept/settings";
import { useSession } from "@/state/sync/session";
import { Segments } from "@/ui/controls";
import type { Filter, SeamRow } from "./rows";

const CLASSES: readonly (readonly [SeamClass | "all", string])[] = [
  ["all", "All"],
  ["raw", "Raw"],
  ["smooth", "Smooth"],
  ["blended", "Blended"],
  ["unbroken", "Unbroken"],
];

/** Which seams are shown, how many there are of each kind, and how many are measured. */
export function SeamFilters({ all, filter, onFilter }: { all: readonly SeamRow[]; filter: Filter; onFilter: (filter: Filter) => void }) {
  const doc = useSession((s) => s.doc);
  const measured = all.reduce((n, r) => n + (r.measure ? 1 : 0), 0);
  const counts = all.reduce<Record<string, number>>((n, r) => {
    n[r.class] = (n[r.class] ?? 0) + 1;
    return n;
  }, {});
  return (
    <div className="flex min-h-10 shrink-0 flex-wrap items-center gap-1.5 border-line border-b px-3 py-1">
      <h2 className="shrink-0 font-semibold">Seam check</h2>
      <div className="w-[424px] shrink-0 text-[12px]">
        <Segments
          label="Class"
          value={filter.class}
          onChange={(c) => onFilter({ ...filter, class: c })}
          options={CLASSES.map(([id, name]) => [id, `${name} ${id === "all" ? all.length : (counts[id] ?? 0)}`] as const)}
        />
      </div>
      <Choice
        label="Track"
        value={filter.trackId}
        onChange={(trackId) => onFilter({ ...filter, trackId })}
        options={[["all", "All tracks"], ...doc.piece.trackOrder.map((id) => [id, doc.tracks.get(id)?.name ?? ""] as const)]}
      />
      <Choice
        label="Section"
        value={filter.sectionId}
        onChange={(sectionId) => onFilter({ ...filter, sectionId })}
        options={[["all", "All sections"], ...[...doc.sections.values()].map((s) => [s.id, s.name] as const)]}
      />
      <Choice
        label="Click"
        value={filter.level === null ? "all" : String(filter.level)}
        onChange={(v) => onFilter({ ...filter, level: v === "all" ? null : Number(v) })}
        options={[
          ["all", "Any click"],
          ["-60", "From −60 dB"],
          ["-48", "From −48 dB"],
          ["-36", "From −36 dB"],
          ["-24", "From −24 dB"],
        ]}
      />
      <span className="num ml-auto shrink-0 text-ink-2 text-sm" data-testid="measured">
        {measured < all.length ? `${measured} of ${all.length} measured` : `${all.length} measured`}
      </span>
      <button
        type="button"
        aria-label="Close seam check"
        className="shrink-0 rounded-sm p-1 hover:bg-weft"
        onClick={() => setSettings({ seamCheck: false })}
      >
        <X size={15} />
      </button>
    </div>
  );
}

function Choice({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: readonly (readonly [string, string])[];
  onChange: (value: string) => void;
}) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className="h-7 min-w-[112px] rounded-md border border-line bg-raised px-1.5 text-ink-2"
    >
      {options.map(([id, name]) => (
        <option key={id} value={id}>
          {name}
        </option>
      ))}
    </select>
  );
}
