"use client";
import type { Clip } from "@wet-thread/core/model/schema";
import { session } from "@/state/sync/session";
import { Field } from "@/ui/controls";
import { Fold } from "../Fold";
import { Label, numberFrom, signed } from "../parts";
import { common } from "./common";

/** A gain as it is read; nothing is left below −144 dB. */
const gainWords = (gain: number | null): string => (gain === null ? "mixed" : gain <= -144 ? "−∞" : signed(gain, 1));
/** A pan as it is read, in parts of a hundred. */
const panWords = (pan: number): string => (pan === 0 ? "middle" : `${Math.abs(Math.round(pan * 100))} % ${pan < 0 ? "left" : "right"}`);

/** How loud the clips are, and where between the sides. */
export function LevelPart({ clips }: { clips: readonly Clip[] }) {
  const clipIds = clips.map((c) => c.id);
  const gain = common(clips, (c) => c.gain);
  const pan = common(clips, (c) => c.pan);
  return (
    <Fold name="Level" says={`${gainWords(gain)}${gain === null ? "" : " dB"} · ${pan === null ? "mixed" : panWords(pan)}`} set>
      <div className="grid grid-cols-2 gap-x-2.5">
        <div>
          <Label>Gain</Label>
          <Field
            label="Gain"
            value={gainWords(gain)}
            unit="dB"
            onCommit={(t) => {
              const v = numberFrom(t, -144, 48, "gain in dB");
              if (v !== null) session().edit([{ type: "set-gain", clipIds, gain: v }]);
            }}
          />
        </div>
        <div>
          <Label>Pan</Label>
          <Field
            label="Pan"
            value={pan === null ? "mixed" : String(Math.round(pan * 100))}
            unit="%"
            onCommit={(t) => {
              const v = numberFrom(t, -100, 100, "pan");
              if (v !== null) session().edit([{ type: "set-clip", clipIds, pan: v / 100 }]);
            }}
          />
        </div>
      </div>
    </Fold>
  );
}
