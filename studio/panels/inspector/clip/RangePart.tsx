"use client";
import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { formatPosition, formatSpan, parsePosition } from "@wet-thread/core/time/format";
import { runCommand } from "@/commands/commands";
import { keyOf } from "@/commands/keys";
import { useSettings } from "@/state/kept/settings";
import { setView, type TimeRange } from "@/state/view/view";
import { counted } from "@/state/words/counted";
import { toast } from "@/state/words/toast";
import { laneBoxes } from "@/timeline/model/geometry";
import { Button, Field } from "@/ui/controls";
import { Label } from "../parts";

/** What can be done with a range, most used first. */
const DONE: readonly (readonly (readonly [command: string, label: string])[])[] = [
  [
    ["split", "Split out"],
    ["copy", "Copy"],
    ["duplicate", "Duplicate"],
  ],
  [
    ["clear", "Silence"],
    ["delete-close", "Cut and close"],
    ["mute", "Mute"],
  ],
  [
    ["fade-in", "Fade in"],
    ["fade-out", "Fade out"],
    ["blend", "Blend joints"],
  ],
  [
    ["reverse", "Reverse"],
    ["gain-up", "+1 dB"],
    ["gain-down", "−1 dB"],
  ],
  [
    ["trim-range", "Trim to it"],
    ["close-gaps", "Close gaps"],
    ["loop", "Loop it"],
  ],
  [
    ["copy-section", "Copy section"],
    ["remove-time", "Remove time"],
    ["export-selection", "Export …"],
  ],
];

/** The range: its bounds and length, to be typed in any unit, its tracks, and what can be done with it. */
export function RangePart({ doc, range }: { doc: Document; range: TimeRange }) {
  const [unit, lengthUnit] = useSettings((s) => s.readOuts);
  const base = timebaseOf(doc);
  const inside = range.trackIds.reduce((sum, id) => sum + (doc.lanes.get(id)?.within(range.start, range.end).length ?? 0), 0);
  const set = (change: Partial<TimeRange>): void => {
    const next = { ...range, ...change };
    if (next.end > next.start) setView({ range: next });
    else toast.error("A range ends after it starts.");
  };
  const typed = (text: string, from: number, then: (at: number) => void): void => {
    try {
      then(parsePosition(text, unit, base, from));
    } catch (error) {
      toast.error((error as Error).message);
    }
  };
  return (
    <section aria-label="Range">
      <h2 className="font-semibold">Range</h2>
      <p className="num mt-0.5 text-ink-3 text-sm">
        {formatSpan(range.start, range.end, lengthUnit, base)}, {counted(inside, "clip")} in it
      </p>
      <div className="grid grid-cols-2 gap-x-2.5">
        <div>
          <Label>Start</Label>
          <Field
            label="Start of the range"
            value={formatPosition(range.start, unit, base)}
            onCommit={(t) => typed(t, range.start, (start) => set({ start }))}
          />
        </div>
        <div>
          <Label>End</Label>
          <Field
            label="End of the range"
            value={formatPosition(range.end, unit, base)}
            onCommit={(t) => typed(t, range.end, (end) => set({ end }))}
          />
        </div>
      </div>
      <Label>Length</Label>
      <Field
        label="Length of the range"
        value={formatSpan(range.start, range.end, unit, base)}
        onCommit={(t) => typed(/^\s*[+−-]/.test(t) ? t : `+${t}`, /^\s*[+−-]/.test(t) ? range.end : range.start, (end) => set({ end }))}
      />
      <Label side={`${range.trackIds.length} of ${laneBoxes(doc).length}`}>Tracks</Label>
      <ul className="flex flex-wrap gap-1">
        {laneBoxes(doc).map(({ trackId, track }) => {
          const on = range.trackIds.includes(trackId);
          return (
            <li key={trackId}>
              <button
                type="button"
                aria-pressed={on}
                className="flex items-center gap-1 rounded-sm border border-line px-1.5 text-ink-2 text-sm aria-pressed:border-ink-2 aria-pressed:bg-raised aria-pressed:font-semibold aria-pressed:text-ink"
                onClick={() => {
                  const trackIds = laneBoxes(doc)
                    .map((b) => b.trackId)
                    .filter((id) => (id === trackId ? !on : range.trackIds.includes(id)));
                  if (trackIds.length) set({ trackIds });
                }}
              >
                <span className="size-2 rounded-full" style={{ background: `var(--${track.color})` }} aria-hidden />
                {track.name}
              </button>
            </li>
          );
        })}
      </ul>
      <div className="mt-4 space-y-1.5 border-line border-t pt-3">
        {DONE.map((row) => (
          <div key={row[0][0]} className="grid grid-cols-3 gap-1.5">
            {row.map(([id, label]) => (
              <Button key={id} className="whitespace-nowrap !px-1 text-sm" title={keyOf(id)} onClick={() => runCommand(id)}>
                {label}
              </Button>
            ))}
          </div>
        ))}
      </div>
    </section>
  );
}
