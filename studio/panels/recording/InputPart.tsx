"use client";
import { findDevices } from "@/engine/inputs";
import { recorder } from "@/engine/recorder";
import { FIRST_INPUT, recordingSettings, STAND_IN, setRecording, type TrackInput, useRecorder, useRecording } from "@/state/kept/recording";
import { toast } from "@/state/words/toast";
import { Button, Segments } from "@/ui/controls";
import { Label } from "../inspector/parts";

const MOST_CHANNELS = 64;
const choose = "h-8 min-w-0 flex-1 rounded-md border border-line bg-raised px-1.5";

/** Each channel by itself, then pairs: as they are kept, and as people count them. */
function channelChoices(channels: number): (readonly [string, string])[] {
  const single = Array.from({ length: channels }, (_, c) => [`${c}`, `${c + 1}`] as const);
  const pairs = Array.from({ length: Math.floor(channels / 2) }, (_, p) => [`${2 * p} ${2 * p + 1}`, `${2 * p + 1} + ${2 * p + 2}`] as const);
  return [...single, ...pairs];
}

/** What a track is recorded from: the input, its channels, whether it is heard, and how long the round trip is. */
export function InputPart({ trackId }: { trackId: string }) {
  const own = useRecording((s) => s.inputs[trackId]) ?? FIRST_INPUT;
  const { standIn, roundTrips } = useRecording();
  const devices = useRecorder((r) => r.devices);
  const found = useRecorder((r) => r.levels[own.input]?.length ?? 0);
  const measuring = useRecorder((r) => r.measuring);
  const busy = useRecorder((r) => r.phase !== "off");
  const set = (change: Partial<TrackInput>): void => setRecording({ inputs: { ...recordingSettings().inputs, [trackId]: { ...own, ...change } } });
  const many = own.input === STAND_IN ? 1 : Math.max(2, found, ...own.channels.map((c) => c + 1));
  const missing = own.input !== STAND_IN && !devices.some((d) => d.id === own.input);
  const known = roundTrips[own.input];
  const trip =
    own.input === STAND_IN
      ? `${standIn.delayMs} ms, known`
      : known
        ? `${((1000 * known.samples) / known.rate).toFixed(2)} ms, measured`
        : "as the browser says";
  const ask = async (): Promise<void> => {
    try {
      await findDevices(true);
    } catch (error) {
      toast.error((error as Error).message, { id: "input", duration: 10_000 });
    }
  };
  return (
    <fieldset disabled={busy}>
      <Label side={`round trip ${trip}`}>Recorded from</Label>
      <div className="flex gap-2">
        <select aria-label="Input" className={choose} value={own.input} onChange={(e) => set({ input: e.target.value, channels: [0] })}>
          <option value={STAND_IN}>the stand-in</option>
          {missing && <option value={own.input}>an input that is not there</option>}
          {devices.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name}
            </option>
          ))}
        </select>
        <select
          aria-label="Channels of the input"
          className="h-8 w-[72px] rounded-md border border-line bg-raised px-1.5"
          value={own.channels.join(" ")}
          onChange={(e) => set({ channels: e.target.value.split(" ").map(Number) })}
        >
          {channelChoices(Math.min(many, MOST_CHANNELS)).map(([value, text]) => (
            <option key={value} value={value}>
              {text}
            </option>
          ))}
        </select>
      </div>
      <div className="mt-2 flex gap-2">
        <span className="min-w-0 flex-1">
          <Segments
            label="Whether what comes in is heard"
            value={own.monitor ? "heard" : "silent"}
            options={[
              ["silent", "not heard"],
              ["heard", "heard"],
            ]}
            onChange={(v) => set({ monitor: v === "heard" })}
          />
        </span>
        <Button className="!h-7" disabled={measuring || busy} onClick={() => void recorder().measure(own.input, own.channels[0])}>
          {measuring ? "Listening …" : "Measure"}
        </Button>
      </div>
      <p className="mt-1 text-ink-3 text-sm">
        {own.monitor
          ? "Use headphones: a loudspeaker beside the microphone howls."
          : own.input === STAND_IN
            ? "Measure sends a sound out and hears when it comes in again."
            : "Measure: lead the output to the input, by a cable or through the air."}
      </p>
      <button type="button" className="mt-1 text-ink-2 text-sm underline hover:text-ink" onClick={() => void ask()}>
        Look for inputs of this computer
      </button>
    </fieldset>
  );
}
