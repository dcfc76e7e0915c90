"use client";
import { OUT_FORMATS, OUT_IDS, type OutFormat } from "@wet-thread/core/media/writers";
import type { ReactNode } from "react";
import { Field, Segments } from "@/ui/controls";
import { type OutSettings, rateOf, ratesFor, type Split, samplesOf, useOut } from "./settings";

const set = (to: Partial<OutSettings>): void => useOut.setState(to);

export function Row({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div>
      <span className="mb-1 block text-ink-2 text-sm">{name}</span>
      {children}
    </div>
  );
}

const number = (text: string, least: number, most: number, take: (n: number) => void): boolean => {
  const n = Number(text.replace("−", "-").replace(",", "."));
  if (text.trim() === "" || !(n >= least && n <= most)) return false;
  take(n);
  return true;
};

export function FilesRow() {
  const s = useOut();
  return (
    <Row name="Files">
      <Segments<Split>
        label="Files"
        value={s.split}
        onChange={(split) => set({ split })}
        options={[
          ["none", "One"],
          ["sections", "Each section"],
          ["tracks", "Each track"],
          ["clips", "Each clip"],
        ]}
      />
      {s.split === "clips" && (
        <Field
          className="mt-1.5"
          label="Handles"
          unit="s beyond each end, where there is some"
          value={String(s.handles)}
          onCommit={(text) => number(text, 0, 60, (handles) => set({ handles }))}
        />
      )}
    </Row>
  );
}

const SAMPLES = [
  ["pcm16", "16 bit"],
  ["pcm24", "24 bit"],
  ["float32", "32 float"],
] as const;
/** Kilobits a second that are offered; 0 is as many as it needs. */
const MP3_BITS = [
  ["128", "128"],
  ["192", "192"],
  ["256", "256"],
  ["320", "320 kbit/s"],
  ["0", "Varying, best"],
] as const;
const OPUS_BITS = [
  ["64", "64"],
  ["96", "96"],
  ["128", "128"],
  ["192", "192"],
  ["256", "256 kbit/s"],
] as const;

export function FormatRow() {
  const s = useOut();
  const format: OutFormat = OUT_FORMATS[s.format];
  return (
    <Row name="Format">
      <Segments
        label="Format"
        value={s.format}
        onChange={(to) => set({ format: to })}
        options={OUT_IDS.map((id) => [id, id === "bwf" ? "Broadcast" : OUT_FORMATS[id].name])}
      />
      {format.samples && (
        <div className="mt-1.5">
          <Segments
            label="Samples"
            value={samplesOf(s)}
            onChange={(to) => set({ samples: to })}
            options={SAMPLES.filter(([id]) => format.samples?.includes(id))}
          />
        </div>
      )}
      {format.bits && (
        <div className="mt-1.5">
          <Segments
            label="Kilobits a second"
            value={String(s.format === "opus" && s.bits === 0 ? 128 : s.bits)}
            onChange={(to) => set({ bits: Number(to) })}
            options={s.format === "mp3" ? MP3_BITS : OPUS_BITS}
          />
        </div>
      )}
    </Row>
  );
}

export function RateAndChannels({ own }: { own: number }) {
  const s = useOut();
  const { asPiece, others } = ratesFor(s, own);
  return (
    <div className="grid grid-cols-2 gap-3">
      <Row name="Rate">
        <select
          aria-label="Rate"
          className="h-7 w-full rounded-md border border-line bg-raised px-2"
          value={rateOf(s, own)}
          onChange={(e) => set({ rate: Number(e.target.value) })}
        >
          {asPiece && <option value={0}>{own / 1000} kHz, as the piece</option>}
          {others.map((r) => (
            <option key={r} value={r}>
              {r / 1000} kHz
            </option>
          ))}
        </select>
      </Row>
      <Row name="Channels">
        <Segments
          label="Channels"
          value={String(s.channels)}
          onChange={(to) => set({ channels: to === "1" ? 1 : 2 })}
          options={[
            ["2", "Stereo"],
            ["1", "Mono"],
          ]}
        />
      </Row>
    </div>
  );
}

export function DitherRow() {
  const s = useOut();
  if (!OUT_FORMATS[s.format].samples || samplesOf(s) === "float32") return null;
  return (
    <Row name="Dither">
      <Segments
        label="Dither"
        value={s.dither}
        onChange={(dither) => set({ dither })}
        options={[
          ["plain", "Plain"],
          ["shaped", "Shaped"],
          ["none", "None"],
        ]}
      />
    </Row>
  );
}

export function LevelRow() {
  const s = useOut();
  return (
    <Row name="Level">
      <Segments
        label="Level"
        value={s.level}
        onChange={(level) => set({ level })}
        options={[
          ["as it is", "As it is"],
          ["loudness", "To a loudness"],
          ["peak", "To a peak"],
        ]}
      />
      {s.level !== "as it is" && (
        <div className="mt-1.5 grid grid-cols-2 gap-3">
          {s.level === "loudness" ? (
            <Field label="Loudness" unit="LUFS" value={String(s.loudness)} onCommit={(t) => number(t, -70, 0, (loudness) => set({ loudness }))} />
          ) : (
            <Field label="Peak" unit="dBFS" value={String(s.peak)} onCommit={(t) => number(t, -60, 0, (peak) => set({ peak }))} />
          )}
          <Field
            label="True peak at most"
            unit="dBTP at most"
            value={String(s.ceiling)}
            onCommit={(t) => number(t, -20, 0, (ceiling) => set({ ceiling }))}
          />
        </div>
      )}
    </Row>
  );
}

export function WordsRow() {
  const s = useOut();
  return (
    <details className="text-sm" open={s.title + s.artist + s.year + s.comment !== ""}>
      <summary className="cursor-pointer text-ink-2">Words in the file, markers</summary>
      <div className="mt-2 grid grid-cols-2 gap-2">
        {(["title", "artist", "year", "comment"] as const).map((k) => (
          <Field key={k} numeric={false} label={k} unit={k} value={s[k]} onCommit={(text) => set({ [k]: text })} />
        ))}
      </div>
      <label className="mt-2 flex items-center gap-2">
        <input type="checkbox" checked={s.markers} onChange={(e) => set({ markers: e.target.checked })} /> Markers go along
      </label>
    </details>
  );
}
