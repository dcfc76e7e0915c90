"use client";
import { inputOf, useRecorder, useRecording } from "@/state/kept/recording";
import { partOf } from "../frame/LevelBar";

/** How loud it is at the input of an armed track, and a light that stays on where it was too loud, until it is pressed. */
export function InputLevel({ trackId, name }: { trackId: string; name: string }) {
  useRecording((s) => s.inputs[trackId]);
  const { input, channels } = inputOf(trackId);
  const levels = useRecorder((r) => r.levels[input]);
  const clipped = useRecorder((r) => channels.some((c) => r.clipped.has(`${input} ${c}`)));
  return (
    <div className="flex items-center gap-1" data-testid={`input-${name}`}>
      <div className="flex flex-1 flex-col gap-px" aria-hidden>
        {channels.map((c) => (
          <div key={c} className="overflow-hidden rounded-full bg-weft" style={{ height: channels.length > 1 ? 2 : 4 }}>
            <div className="h-full origin-left bg-madder" style={{ transform: `scaleX(${partOf(levels?.[c] ?? 0).toFixed(3)})` }} />
          </div>
        ))}
      </div>
      <button
        type="button"
        aria-label={clipped ? `${name} came in too loud; press to put the light out` : `${name} has not come in too loud`}
        title={clipped ? "It came in too loud. Press to put the light out." : "Lights up where it comes in too loud"}
        className="size-[9px] shrink-0 rounded-full border border-line"
        style={clipped ? { background: "var(--madder)", borderColor: "var(--madder)" } : undefined}
        onClick={() => {
          const left = [...useRecorder.getState().clipped].filter((k) => !channels.some((c) => k === `${input} ${c}`));
          useRecorder.setState({ clipped: new Set(left) });
        }}
      />
    </div>
  );
}
