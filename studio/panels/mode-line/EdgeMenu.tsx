import { type Settings, setSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { Field, Segments, Slider } from "@/ui/controls";
import { SHAPE_NAMES, Shapes } from "../edit/FadeShapes";
import { lengthFrom, numberFrom } from "../inspector/parts";
import { Heading } from "./rule-menus";
import { Chip } from "./steps";

/** What new edges get. */
export function EdgeMenu({ set }: { set: Settings }) {
  return (
    <div>
      <Heading side="goes where the audio runs on again">Every new edge gets</Heading>
      <div className="flex flex-wrap gap-1.5">
        {[0, 1, 2, 4, 8, 12, 20, 50].map((ms) => (
          <Chip key={ms} label={ms === 0 ? "none" : `${ms} ms`} on={set.edgeFadeMs === ms} onClick={() => setSettings({ edgeFadeMs: ms })} />
        ))}
      </div>
      <div className="mt-2">
        <Field
          label="Length of edge fades"
          value={String(set.edgeFadeMs)}
          unit="ms"
          onCommit={(t) => {
            const samples = lengthFrom(t, 0, Math.round((set.edgeFadeMs * session().doc.sampleRate) / 1000));
            if (samples !== null) setSettings({ edgeFadeMs: Math.round((samples * 1e6) / session().doc.sampleRate) / 1000 });
          }}
        />
      </div>
      <Heading side="as far as there is material">Where it meets another edge</Heading>
      <Segments
        label="Where a new edge meets another"
        value={set.edgeBlends ? "blend" : "fade"}
        onChange={(v) => setSettings({ edgeBlends: v === "blend" })}
        options={[
          ["fade", "Each fades"],
          ["blend", "They blend"],
        ]}
      />
      <Heading side={SHAPE_NAMES[set.edgeFadeShape]}>Shape</Heading>
      <Shapes value={set.edgeFadeShape} bend={set.edgeFadeBend} onChange={(edgeFadeShape) => setSettings({ edgeFadeShape })} />
      <Heading side={set.edgeFadeBend === 0 ? "none" : set.edgeFadeBend.toFixed(2)}>Bend</Heading>
      <Slider label="Bend" min={-1} max={1} step={0.05} value={set.edgeFadeBend} onCommit={(edgeFadeBend) => setSettings({ edgeFadeBend })} />
      <Heading side="0 for none">Blending a range first fills gaps up to</Heading>
      <Field
        label="Gaps filled before a range is blended"
        value={String(set.fillGapsMs)}
        unit="ms"
        onCommit={(t) => {
          const v = numberFrom(t, 0, 60_000, "length");
          if (v !== null) setSettings({ fillGapsMs: Math.round(v) });
        }}
      />
      <Heading>Kept fades</Heading>
      <div className="flex flex-wrap gap-1.5">
        {set.fadePresets.map((p) => (
          <span key={p.name} className="flex">
            <Chip
              label={p.name}
              on={set.edgeFadeMs === p.ms && set.edgeFadeShape === p.shape && set.edgeFadeBend === p.bend}
              onClick={() => setSettings({ edgeFadeMs: p.ms, edgeFadeShape: p.shape, edgeFadeBend: p.bend })}
            />
            <button
              type="button"
              aria-label={`Forget ${p.name}`}
              className="-ml-1 rounded-sm px-1 text-ink-3 hover:text-madder"
              onClick={() => setSettings({ fadePresets: set.fadePresets.filter((x) => x !== p) })}
            >
              ×
            </button>
          </span>
        ))}
        <Chip
          label="Keep this fade"
          on={false}
          onClick={() => {
            const name = `${set.edgeFadeMs} ms ${SHAPE_NAMES[set.edgeFadeShape].toLowerCase()}${set.edgeFadeBend ? ` ${set.edgeFadeBend.toFixed(2)}` : ""}`;
            if (set.edgeFadeMs > 0 && !set.fadePresets.some((p) => p.name === name))
              setSettings({ fadePresets: [...set.fadePresets, { name, ms: set.edgeFadeMs, shape: set.edgeFadeShape, bend: set.edgeFadeBend }] });
          }}
        />
      </div>
    </div>
  );
}
