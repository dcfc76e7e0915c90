"use client";
import type { Clip, Fade } from "@wet-thread/core/model/schema";
import { setSettings, useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { Field } from "@/ui/controls";
import { Shapes } from "../../edit/FadeShapes";
import { Fold } from "../Fold";
import { Label, lengthFrom, numberFrom, signed } from "../parts";
import { common } from "./common";

type Edge = "in" | "out";
const fadeOf = (clip: Clip, edge: Edge): Fade => (edge === "in" ? clip.fadeIn : clip.fadeOut);

/** Lays a fade on an edge of clips; its shape and bend are the ones that the next fade gets. */
function lay(clips: readonly Clip[], edge: Edge, change: Partial<Fade>, next?: { shape: Fade["shape"]; bend: number }): void {
  const done = session().edit([{ type: "set-fade", clipIds: clips.map((c) => c.id), edge, ...change }]);
  if (done && next) setSettings({ lastFade: next });
}

/** A length in ms as the fields show it. */
const ms = (samples: number | null): string => (samples === null ? "mixed" : ((samples * 1000) / session().doc.sampleRate).toFixed(1));

/** The fades of the clips at both ends: how long, in which shape, how bent. */
export function FadesPart({ clips }: { clips: readonly Clip[] }) {
  const chosen = useView((v) => v.fade?.edge ?? null);
  const lengths = (["in", "out"] as const).map((edge) => common(clips, (c) => fadeOf(c, edge).length));
  const set = chosen !== null || clips.some((c) => c.fadeIn.length + c.fadeOut.length > 0);
  return (
    <Fold name="Fades" says={`in ${ms(lengths[0])} · out ${ms(lengths[1])} ms`} set={set}>
      <EdgePart clips={clips} edge="in" chosen={chosen === "in"} />
      <EdgePart clips={clips} edge="out" chosen={chosen === "out"} />
    </Fold>
  );
}

function EdgePart({ clips, edge, chosen }: { clips: readonly Clip[]; edge: Edge; chosen: boolean }) {
  const presets = useSettings((s) => s.fadePresets);
  const { sampleRate } = session().doc;
  const first = fadeOf(clips[0], edge);
  const shape = common(clips, (c) => fadeOf(c, edge).shape) ?? first.shape;
  const bend = common(clips, (c) => fadeOf(c, edge).bend);
  return (
    <fieldset
      data-chosen={chosen || undefined}
      className="mt-2 border-line pt-1 data-[chosen]:-mx-2 data-[chosen]:rounded-md data-[chosen]:border data-[chosen]:border-weld data-[chosen]:bg-weld/10 data-[chosen]:px-2 data-[chosen]:pb-2"
    >
      <legend className="sr-only">Fade {edge}</legend>
      <div className="grid grid-cols-2 gap-x-2.5">
        <div>
          <Label>{chosen ? `Fade ${edge}, chosen` : `Fade ${edge}`}</Label>
          <Field
            label={`Length of fade ${edge}`}
            value={ms(common(clips, (c) => fadeOf(c, edge).length))}
            unit="ms"
            onCommit={(t) => {
              const length = lengthFrom(t, 0, first.length);
              if (length !== null) lay(clips, edge, { length });
            }}
          />
        </div>
        <div>
          <Label>Bend</Label>
          <Field
            label={`Bend of fade ${edge}`}
            value={bend === null ? "mixed" : signed(bend, 2)}
            onCommit={(t) => {
              const v = numberFrom(t, -1, 1, "bend");
              if (v !== null) lay(clips, edge, { bend: v }, { shape, bend: v });
            }}
          />
        </div>
      </div>
      <div className="mt-2">
        <Shapes value={shape} bend={bend ?? 0} onChange={(to) => lay(clips, edge, { shape: to }, { shape: to, bend: bend ?? 0 })} />
      </div>
      {presets.length > 0 && (
        <div className="mt-2 flex flex-wrap gap-1.5">
          {presets.map((p) => (
            <button
              key={p.name}
              type="button"
              className="rounded-sm border border-line bg-raised px-1.5 text-ink-2 text-sm hover:border-ink-3"
              onClick={() => lay(clips, edge, { length: Math.round((p.ms * sampleRate) / 1000), shape: p.shape, bend: p.bend }, p)}
            >
              {p.name}
            </button>
          ))}
        </div>
      )}
    </fieldset>
  );
}
