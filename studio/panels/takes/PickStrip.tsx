"use client";
import { picksOf } from "@wet-thread/core/edit/takes/lanes";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import type { Stack } from "@/commands/edit/takes";
import { useSession } from "@/state/sync/session";
import { setView } from "@/state/view/view";
import { HEAD_WIDTH } from "@/timeline/model/geometry";
import type { Window } from "./LaneWave";
import { dyeOf, type LaneProps } from "./lane-look";

/** A block narrower than this, in pixels, has no room for its number. */
const NUMBER_FROM = 14;

/** From where to where each pick is heard: up to the splice of the next one. */
function heardSpans(picks: readonly Clip[]): { readonly clip: Clip; readonly start: number; readonly end: number }[] {
  return picks.map((clip, i) => {
    const next = picks[i + 1]?.blend?.with === clip.id ? picks[i + 1].blend : null;
    return { clip, start: clip.blend?.splice ?? clip.start, end: next?.splice ?? clipEnd(clip) };
  });
}

/** Who is picked where, by number and colour; a press goes there. */
export function PickStrip({
  stack,
  numbers,
  seen,
  dye,
}: {
  stack: Stack;
  numbers: ReadonlyMap<string, number>;
  seen: Window;
  dye: LaneProps["dye"];
}) {
  const doc = useSession((s) => s.doc);
  const x = (at: number): number => (at - seen.start) / seen.per;
  return (
    <div className="flex h-5 shrink-0 border-line border-t text-sm">
      <span className="shrink-0 px-2 text-ink-2" style={{ width: HEAD_WIDTH }}>
        Picked
      </span>
      <fieldset aria-label="Who is picked where" className="relative min-w-0 flex-1 overflow-hidden border-line border-l">
        {heardSpans(picksOf(doc, stack)).map(({ clip, start, end }) => {
          const lane = stack.takes.find((l) => l.id === clip.take);
          const number = numbers.get(clip.take ?? "") ?? 0;
          const [left, width] = [x(start), x(end) - x(start)];
          if (left > seen.width || left + width < 0) return null;
          return (
            <button
              key={clip.id}
              type="button"
              title={`${number}: ${lane?.name ?? ""}`}
              aria-label={`Take ${number}, ${lane?.name ?? ""}`}
              className="num absolute inset-y-0 overflow-hidden border-l-2 px-1 text-left text-ink"
              style={{
                left,
                width: Math.max(1, width),
                borderColor: `var(--${lane ? dyeOf(stack, lane, dye) : dye})`,
                background: `color-mix(in srgb, var(--${lane ? dyeOf(stack, lane, dye) : dye}) 22%, transparent)`,
              }}
              onClick={() => setView({ playhead: start, clipIds: new Set([clip.id]), range: null, trackId: stack.trackId })}
            >
              {width >= NUMBER_FROM ? number : ""}
            </button>
          );
        })}
      </fieldset>
    </div>
  );
}
