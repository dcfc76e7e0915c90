"use client";
import { envelopeOf, LINE_KINDS } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip } from "@wet-thread/core/model/schema";
import { session } from "@/state/sync/session";
import { setView } from "@/state/view/view";
import { Fold } from "../Fold";

const NAMES = { gain: "Gain", pan: "Pan", pitch: "Pitch" } as const;

/** The lines that are drawn on the clips, of gain, pan and pitch. */
export function EnvelopesPart({ clips }: { clips: readonly Clip[] }) {
  const drawnKinds = LINE_KINDS.filter((kind) => clips.some((c) => envelopeOf(c, kind)));
  const says = drawnKinds.map((kind) => NAMES[kind].toLowerCase()).join(", ");
  return (
    <Fold name="Envelopes" says={says || "none"} set={drawnKinds.length > 0}>
      <div className="mt-2 space-y-1.5">
        {LINE_KINDS.map((kind) => {
          const drawn = clips.filter((c) => envelopeOf(c, kind));
          const [first] = drawn;
          return (
            <div key={kind} className="flex items-center gap-1.5 text-sm">
              <span className="min-w-0 flex-1 truncate text-ink-2">
                {NAMES[kind]} envelope{" "}
                <span className="num">
                  {first ? (drawn.length > 1 ? `on ${drawn.length}` : `${envelopeOf(first, kind)?.length} points`) : "none"}
                </span>
              </span>
              <button
                type="button"
                className="rounded-sm border border-line bg-raised px-1.5 hover:border-ink-3"
                onClick={() => setView({ tool: "draw", drawKind: kind })}
              >
                Draw
              </button>
              <button
                type="button"
                className="rounded-sm border border-line bg-raised px-1.5 hover:border-ink-3 disabled:opacity-45"
                disabled={!first}
                onClick={() => session().edit([{ type: "set-envelope", clipIds: drawn.map((c) => c.id), kind, points: null }])}
              >
                Take off
              </button>
            </div>
          );
        })}
      </div>
    </Fold>
  );
}
