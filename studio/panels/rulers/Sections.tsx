import { timebaseOf } from "@wet-thread/core/model/document";
import type { Section } from "@wet-thread/core/model/schema";
import { formatPosition } from "@wet-thread/core/time/format";
import { useState } from "react";
import { closeMark } from "@/commands/edit/marks";
import { session, useSession } from "@/state/sync/session";
import { setView, useView } from "@/state/view/view";
import { dragPoint } from "@/timeline/gestures/drag-point";
import { Button, Field, Swatches } from "@/ui/controls";
import { MarkPanel, typed, useScale } from "./parts";

export function Sections() {
  const sections = useSession((s) => s.doc.sections);
  return [...sections.values()].map((s) => <SectionMark key={s.id} section={s} />);
}

function SectionMark({ section }: { section: Section }) {
  const { px, width } = useScale();
  const [moving, setMoving] = useState<Partial<Section> | null>(null);
  const open = useView((v) => v.markPanel && v.markId === section.id);
  const doc = useSession((s) => s.doc);
  const { start, end } = { ...section, ...moving };
  const [x0, x1] = [px(start), px(end)];
  if (x1 < 0 || x0 > width) return null;
  const set = (change: Partial<Section>): void => void session().edit([{ type: "set-section", id: section.id, ...change }]);
  const edge = (side: "start" | "end") => (
    <span
      className="absolute inset-y-0 w-[7px] cursor-ew-resize"
      style={side === "start" ? { left: -2 } : { right: -1 }}
      onPointerDown={(e) =>
        dragPoint(
          e,
          { origin: section[side], exceptMark: section.id, ...(side === "start" ? { most: section.end - 1 } : { least: section.start + 1 }) },
          { show: (at) => setMoving(at === null ? null : { [side]: at }), commit: (at) => set({ [side]: at }) },
        )
      }
    />
  );
  const range = (): void =>
    setView({ range: { start: section.start, end: section.end, trackIds: doc.piece.trackOrder }, clipIds: new Set(), seamId: null });
  const mark = (
    <div
      className="pointer-events-auto absolute top-[3px] h-[16px]"
      data-mark={section.id}
      style={{
        left: Math.max(x0, -3),
        width: Math.min(x1, width + 8) - Math.max(x0, -3) - 1,
        background: `color-mix(in srgb, var(--${section.color}) 18%, var(--surface))`,
        borderLeft: `2.5px solid var(--${section.color})`,
      }}
    >
      <button
        type="button"
        className="block h-full w-full truncate px-1.5 text-left font-semibold text-sm leading-none"
        onClick={range}
        onDoubleClick={() => setView({ markId: section.id, markPanel: true })}
      >
        {section.name}
      </button>
      {edge("start")}
      {edge("end")}
    </div>
  );
  return (
    <MarkPanel open={open} onClose={closeMark} at={mark}>
      <Field label="Name of the section" numeric={false} value={section.name} onCommit={(name) => set({ name })} />
      <div className="grid grid-cols-2 gap-2">
        <Field
          label="Start of the section"
          value={formatPosition(section.start, "bars", timebaseOf(doc))}
          onCommit={(t) => typed(t, section.start, (start) => set({ start }))}
        />
        <Field
          label="End of the section"
          value={formatPosition(section.end, "bars", timebaseOf(doc))}
          onCommit={(t) => typed(t, section.end, (end) => set({ end }))}
        />
      </div>
      <Swatches value={section.color} onChange={(color) => set({ color })} />
      <div className="flex gap-2">
        <Button className="flex-1" onClick={() => session().edit([{ type: "set-loop", loop: { start: section.start, end: section.end, on: true } }])}>
          Loop it
        </Button>
        <Button className="flex-1" onClick={() => session().edit([{ type: "remove-section", id: section.id }])}>
          Remove
        </Button>
      </div>
    </MarkPanel>
  );
}
