"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatClock, formatLength, formatPosition, parsePosition } from "@wet-thread/core/time/format";
import { useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { modeRules } from "@/state/view/modes";
import { view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { Button, Field } from "@/ui/controls";
import { Fold } from "../Fold";
import { Label } from "../parts";

/** Where the clips lie: their start, end and sync point, to be typed in any unit. */
export function PlacePart({ clips }: { clips: readonly Clip[] }) {
  const unit = useSettings((s) => s.readOuts[0]);
  const { doc } = session();
  const base = timebaseOf(doc);
  const [clip] = clips;
  const clipIds = clips.map((c) => c.id);
  const edit = (edits: Parameters<ReturnType<typeof session>["edit"]>[0]) => session().edit(edits);
  const [start, end] = [Math.min(...clips.map((c) => c.start)), Math.max(...clips.map(clipEnd))];
  const position = formatPosition(start, unit, base);
  /** Moves the clips together so that the start, the end or the sync point of what is selected lies at a typed position. */
  const place = (text: string, edge: "start" | "end" | "sync"): void => {
    const from = edge === "start" ? start : edge === "end" ? end : clip.start + (clip.sync ?? 0);
    try {
      edit([{ type: "move", clipIds, by: parsePosition(text, unit, base, from) - from, ...modeRules() }]);
    } catch (error) {
      toast.error((error as Error).message);
    }
  };
  /** Sets a sync point at a typed position, where the clip has none. */
  const setSync = (text: string): void => {
    try {
      const at = parsePosition(text, unit, base, clip.start) - clip.start;
      if (at >= 0 && at < clip.length) edit([{ type: "set-clip", clipIds, sync: at }]);
      else toast.error("A sync point lies inside its clip.");
    } catch (error) {
      toast.error((error as Error).message);
    }
  };
  return (
    <Fold name="Place" says={`${position} · ${formatLength(end - start, doc.sampleRate)}`} set>
      <div className="grid grid-cols-2 gap-x-2.5">
        <div>
          <Label>Start</Label>
          <Field label="Start" value={formatPosition(start, unit, base)} onCommit={(t) => place(t, "start")} />
        </div>
        <div>
          <Label>End</Label>
          <Field label="End" value={formatPosition(end, unit, base)} onCommit={(t) => place(t, "end")} />
        </div>
      </div>
      {clips.length === 1 && (
        <div className="mt-2.5 flex items-end gap-2.5">
          <div className="min-w-0 flex-1">
            <div className="mb-1 text-ink-2 text-sm">Sync point</div>
            <Field
              label="Sync point"
              value={clip.sync === null ? "none" : formatPosition(clip.start + clip.sync, unit, base)}
              onCommit={(t) => (clip.sync === null ? setSync(t) : place(t, "sync"))}
            />
          </div>
          <Button
            title="The moment that is placed and snapped in place of the start"
            onClick={() => {
              const at = Math.round(view().playhead) - clip.start;
              if (clip.sync !== null) edit([{ type: "set-clip", clipIds, sync: null }]);
              else if (at >= 0 && at < clip.length) edit([{ type: "set-clip", clipIds, sync: at }]);
              else toast("Put the playhead inside the clip first.");
            }}
          >
            {clip.sync === null ? "At playhead" : "Take off"}
          </Button>
        </div>
      )}
      <p className="num mt-1.5 text-ink-3 text-sm">
        {formatClock(start, doc.sampleRate)} · {formatLength(end - start, doc.sampleRate)}
      </p>
    </Fold>
  );
}
