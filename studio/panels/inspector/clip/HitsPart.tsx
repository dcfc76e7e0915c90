"use client";
import { hitsBetween, hitsKnown, playedHits, USUAL_SENSITIVITY } from "@wet-thread/core/model/clip/hits";
import { timebaseOf } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatPosition } from "@wet-thread/core/time/format";
import { useEffect, useMemo, useState } from "react";
import { reveal } from "@/commands/edit/actions";
import { addHit, attacksOnly, clearHits, hitsAsFound, removeHit, setSensitivity, showHits } from "@/commands/edit/hits";
import { useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { placePlayhead } from "@/timeline/gestures/range-gestures";
import { viewGrid } from "@/timeline/model/grid-columns";
import { Button, Slider } from "@/ui/controls";
import { Fold } from "../Fold";
import { signed } from "../parts";

/** Rows of the list; where there are more, the ones from the playhead on are shown. */
const ROWS = 100;

/** How many hits a clip plays; at another sensitivity, where one is given. */
function countOf(clip: Clip, sensitivity: number | null): number {
  const meant = sensitivity === null ? clip : { ...clip, hits: { ...clip.hits, cleared: undefined, sensitivity } };
  const { first, end } = playedHits(session().doc.sources, meant, clip.start, clipEnd(clip));
  return end - first;
}

/** The hits of the selected clips: how many of them count, how far each is from its line, and what is done to them by hand. */
export function HitsPart({ clips }: { clips: readonly Clip[] }) {
  const shown = useSettings((s) => s.showHits);
  const attacks = useView((v) => v.attacksOnly);
  const [live, setLive] = useState<number | null>(null);
  const { sources } = session().doc;
  const known = clips.filter((c) => hitsKnown(sources, c));
  const set = known[0]?.hits?.sensitivity ?? USUAL_SENSITIVITY;
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new value, from the hand or from elsewhere, ends what the hand was showing
  useEffect(() => setLive(null), [set]);
  if (known.length === 0) return null;
  const mixed = known.some((c) => (c.hits?.sensitivity ?? USUAL_SENSITIVITY) !== set);
  const strengths = known.some((c) => sources.get(c.sourceId)?.found);
  const count = known.reduce((n, c) => n + countOf(c, live), 0);
  const byHand = known.reduce((n, c) => n + (c.hits?.added?.length ?? 0) + (c.hits?.removed?.length ?? 0), 0);
  const words = `${count === 1 ? "1 hit" : `${count} hits`}${byHand > 0 ? `, ${byHand} by hand` : ""}`;
  return (
    <Fold
      name="Hits"
      says={words}
      set={known.some((c) => c.hits)}
      beside={
        <button
          type="button"
          aria-pressed={shown}
          className="text-ink-3 text-sm underline decoration-line underline-offset-2 hover:text-ink"
          title="Drawn on the cloth as high as they are strong; on selected clips a hit is dragged by its foot, and taken away by a double-click"
          onClick={showHits}
        >
          {shown ? "drawn on the cloth" : "draw on the cloth"}
        </button>
      }
    >
      {strengths ? (
        <div className="flex items-center gap-2.5">
          <Slider
            label="Sensitivity"
            className="flex-1"
            value={set}
            min={0}
            max={1}
            step={0.01}
            onChange={setLive}
            onCommit={(v) =>
              setSensitivity(
                known.map((c) => c.id),
                v,
              )
            }
          />
          <span className="num w-9 text-right text-ink-2 text-sm">{mixed && live === null ? "mixed" : `${Math.round((live ?? set) * 100)} %`}</span>
        </div>
      ) : (
        <p className="text-ink-3 text-sm">How strong they are is not known for this recording; take it in again to set the sensitivity.</p>
      )}
      <p className="num mt-0.5 text-ink-2 text-sm" data-testid="hit-count">
        {words}
      </p>
      <div className="mt-2 grid grid-cols-2 gap-2">
        <Button title="At the playhead, drawn to the attack within 20 ms; with the grid key held just there" onClick={addHit}>
          Add
        </Button>
        <Button title="Those in the range, or the one nearest to the playhead" onClick={removeHit}>
          Take away
        </Button>
        <Button title="Takes all hits of the selected clips away" onClick={clearHits}>
          Clear all
        </Button>
        <Button disabled={clips.every((c) => !c.hits)} onClick={hitsAsFound}>
          As found
        </Button>
        <Button
          className="col-span-2"
          aria-pressed={attacks}
          title="The first 60 ms of each hit of the selected clips; for the ear, nothing is edited"
          onClick={attacksOnly}
        >
          {attacks ? "Hear everything again" : "Hear only the attacks"}
        </Button>
      </div>
      <HitList clips={known} />
    </Fold>
  );
}

/** Each hit with its distance to the nearest grid line, in ms and ticks. */
function HitList({ clips }: { clips: readonly Clip[] }) {
  const [open, setOpen] = useState(false);
  return (
    <details className="mt-2" open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-pointer text-ink-2 text-sm hover:text-ink">Each hit and its line</summary>
      {open && <Rows clips={clips} />}
    </details>
  );
}

function Rows({ clips }: { clips: readonly Clip[] }) {
  const { doc } = session();
  const all = useSettings((s) => s);
  const start = useView((v) => v.start);
  const perPixel = useView((v) => v.samplesPerPixel);
  const playhead = useView((v) => Math.round(v.playhead));
  const hits = useMemo(
    () => [...new Set(clips.flatMap((c) => hitsBetween(doc.sources, c, c.start, clipEnd(c))))].sort((a, b) => a - b),
    [clips, doc.sources],
  );
  const first =
    hits.length <= ROWS
      ? 0
      : Math.max(
          0,
          Math.min(
            hits.length - ROWS,
            hits.findIndex((at) => at >= playhead),
          ),
        );
  const base = timebaseOf(doc);
  const { lines } = viewGrid(doc, all, start, perPixel);
  if (hits.length === 0)
    return (
      <p className="mt-1 text-ink-3 text-sm">
        {clips.some((c) => c.hits?.cleared) ? "All were cleared: add them by hand, or set the sensitivity again." : "No hits at this sensitivity."}
      </p>
    );
  return (
    <table className="num mt-1 w-full text-sm">
      <thead>
        <tr className="text-left text-ink-3">
          <th className="font-normal">at</th>
          <th className="text-right font-normal">ms</th>
          <th className="text-right font-normal">ticks</th>
        </tr>
      </thead>
      <tbody>
        {hits.slice(first, first + ROWS).map((at) => {
          const [before, after] = [lines.before(at).sample, lines.after(at).sample];
          const line = at - before <= after - at ? before : after;
          const off = at - line;
          return (
            <tr key={at} className={at === playhead ? "bg-surface font-semibold" : "hover:bg-surface"}>
              <td>
                <button
                  type="button"
                  className="w-full text-left"
                  onClick={() => {
                    placePlayhead(at);
                    reveal(at);
                  }}
                >
                  {formatPosition(at, all.readOuts[0], base)}
                </button>
              </td>
              <td className="text-right">{off === 0 ? "0" : signed((off * 1000) / doc.sampleRate, 1)}</td>
              <td className="text-right">{off === 0 ? "0" : signed(base.tempo.ticksAt(at) - base.tempo.ticksAt(line), 0)}</td>
            </tr>
          );
        })}
      </tbody>
      {hits.length > ROWS && (
        <caption className="caption-bottom pt-1 text-left text-ink-3">{`${first + 1} to ${first + ROWS} of ${hits.length}, from the playhead on`}</caption>
      )}
    </table>
  );
}
