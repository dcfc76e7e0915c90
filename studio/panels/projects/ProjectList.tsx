"use client";
import { ArrowRight, Copy, Download, Pencil, Trash2 } from "lucide-react";
import Link from "next/link";
import { useEffect, useRef, useState } from "react";
import { ask, ServerError } from "@/state/sync/api";
import { toast } from "@/state/words/toast";
import { Segments } from "@/ui/controls";
import { NameField } from "@/ui/NameField";
import { SearchField } from "@/ui/SearchField";
import { sizeOf } from "../frame/size";
import { ProjectPicture } from "./ProjectPicture";

export interface ProjectSummary {
  readonly id: string;
  readonly name: string;
  readonly sampleRate: number;
  readonly sources: number;
  readonly versions: number;
  readonly tracks: number;
  /** Of its own recordings, on the disk. */
  readonly bytes: number;
  readonly changedAt: string;
}

const WHEN = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long", hour: "2-digit", minute: "2-digit" });
const some = (n: number, word: string): string => `${n} ${word}${n === 1 ? "" : "s"}`;

/** So many are drawn at first, and as many more each time that the end of them comes into view. */
const PAGE = 40;
/** Fewer than these are found by looking. */
const FEW = 12;

type Order = "changed" | "name" | "size";
const ORDERS: Record<Order, (a: ProjectSummary, b: ProjectSummary) => number> = {
  changed: (a, b) => b.changedAt.localeCompare(a.changedAt),
  name: (a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }),
  size: (a, b) => b.bytes - a.bytes,
};

/** Projects in the chosen order; where there are many, found by name. */
export function ProjectList({ rows, onChange }: { rows: readonly ProjectSummary[]; onChange: () => Promise<void> }) {
  const [words, setWords] = useState("");
  const [order, setOrder] = useState<Order>("changed");
  const [drawn, setDrawn] = useState(PAGE);
  const found = rows.filter((p) => p.name.toLowerCase().includes(words.trim().toLowerCase())).sort(ORDERS[order]);
  const end = useRef<HTMLDivElement>(null);
  const more = drawn < found.length;
  // Watched anew after each page: an end that stays in view draws the next one too.
  // biome-ignore lint/correctness/useExhaustiveDependencies: see above
  useEffect(() => {
    if (!more || !end.current) return;
    const seen = new IntersectionObserver(([entry]) => entry.isIntersecting && setDrawn((n) => n + PAGE), { rootMargin: "600px" });
    seen.observe(end.current);
    return () => seen.disconnect();
  }, [more, drawn]);
  return (
    <>
      {rows.length > 1 && (
        <div className="mt-4 flex items-center gap-4">
          <div className="min-w-0 flex-1">
            {rows.length > FEW && (
              <SearchField
                label="Find a project"
                value={words}
                onChange={(typed) => {
                  setWords(typed);
                  setDrawn(PAGE);
                }}
              />
            )}
          </div>
          <div className="w-[220px]">
            <Segments<Order>
              label="Order"
              value={order}
              onChange={setOrder}
              options={[
                ["changed", "Changed"],
                ["name", "Name"],
                ["size", "Size"],
              ]}
            />
          </div>
        </div>
      )}
      {rows.length > 0 && found.length === 0 && <p className="mt-4 text-ink-2">No project has “{words.trim()}” in its name.</p>}
      <ul className="mt-4 space-y-3">
        {found.slice(0, drawn).map((p) => (
          <Project key={p.id} project={p} onChange={onChange} />
        ))}
      </ul>
      <div ref={end} />
    </>
  );
}

function Project({ project: p, onChange }: { project: ProjectSummary; onChange: () => Promise<void> }) {
  const [naming, setNaming] = useState(false);
  const tried = async (work: () => Promise<unknown>): Promise<boolean> => {
    try {
      await work();
      await onChange();
      return true;
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      toast.error(error.message);
      return false;
    }
  };
  const rename = (name: string | null): void => {
    setNaming(false);
    if (name) void tried(() => ask(`/api/projects/${p.id}`, { method: "PATCH", json: { name } }));
  };
  const remove = async (): Promise<void> => {
    if (!(await tried(() => ask(`/api/projects/${p.id}`, { method: "DELETE" })))) return;
    toast(`Removed ${p.name}. It can be put back for 30 days.`, {
      duration: 10_000,
      action: { label: "Put back", onClick: () => void tried(() => ask(`/api/projects/${p.id}/restore`, { method: "POST" })) },
    });
  };
  const tool = "rounded-sm p-1.5 text-ink-3 hover:bg-weft hover:text-ink";
  return (
    <li className="group relative rounded-lg border border-line bg-raised hover:border-ink-3">
      <Link href={`/p/${p.id}`} prefetch={false} className="block p-4" aria-hidden={naming}>
        <span className="flex items-center gap-2">
          <span className={`truncate font-semibold text-lg ${naming ? "invisible" : ""}`} title={p.name}>
            {p.name}
          </span>
          <ArrowRight size={16} className="flex-none text-ink-3 opacity-0 group-hover:opacity-100" aria-hidden />
          <span className="ml-auto flex-none text-ink-3 text-sm">changed {WHEN.format(new Date(p.changedAt))}</span>
        </span>
        <ProjectPicture id={p.id} stamp={p.changedAt} />
        <span className="num mt-3 block pr-32 text-ink-2 text-sm">
          {some(p.tracks, "track")} · {some(p.sources, "recording")} · {some(p.versions, "version")} · {p.sampleRate / 1000} kHz ·{" "}
          {p.bytes === 0 && p.sources > 0 ? "recordings shared" : sizeOf(p.bytes)}
        </span>
      </Link>
      {naming && (
        <NameField
          label="Name of the project"
          value={p.name}
          className="absolute top-3 left-3 h-8 w-[60%] rounded-sm border border-ink-2 bg-raised px-1.5 font-semibold text-lg outline-none"
          onDone={rename}
        />
      )}
      <div className="absolute right-3 bottom-2.5 flex">
        <button type="button" className={tool} aria-label={`Rename ${p.name}`} title="Rename" onClick={() => setNaming(true)}>
          <Pencil size={15} />
        </button>
        <button
          type="button"
          className={tool}
          aria-label={`Copy ${p.name}`}
          title="A copy: its versions, with the same recordings"
          onClick={() => void tried(() => ask(`/api/projects/${p.id}/duplicate`, { json: {} }))}
        >
          <Copy size={15} />
        </button>
        <a className={tool} aria-label={`Archive of ${p.name}`} title="Everything as one zip" href={`/api/projects/${p.id}/archive`} download>
          <Download size={15} />
        </a>
        <button type="button" className={tool} aria-label={`Remove ${p.name}`} title="Remove" onClick={() => void remove()}>
          <Trash2 size={15} />
        </button>
      </div>
    </li>
  );
}
