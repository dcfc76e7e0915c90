"use client";
import { OUT_FORMATS, OUT_IDS, type OutFormat, takesRate } from "@wet-thread/core/media/writers";
import { documentEnd } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { Download } from "lucide-react";
import { type ReactNode, useEffect, useState } from "react";
import { type ExportPart, useExportMenu } from "@/commands/files/export-here";
import { ask, ServerError } from "@/state/sync/api";
import { useSession } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { Button, Field, Segments } from "@/ui/controls";
import { sizeOf } from "../frame/size";
import { Report } from "./Report";
import { fileOf, type OutSettings, requestOf, type Split, useOut } from "./settings";
import type { useExport } from "./use-export";

const WHATS = ["piece", "range", "loop", "part"] as const;
type What = (typeof WHATS)[number];

const set = (to: Partial<OutSettings>): void => useOut.setState(to);

function Row({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div>
      <span className="mb-1 block text-ink-2 text-sm">{name}</span>
      {children}
    </div>
  );
}

/** What can be exported: the piece, and what it was opened for. */
function useParts(): { parts: Partial<Record<What, ExportPart>>; what: What; setWhat: (what: What) => void } {
  const range = useView((v) => v.range);
  const { part } = useExportMenu();
  const doc = useSession((s) => s.doc);
  const { loop } = doc.piece;
  const [chosen, setWhat] = useState<What>("piece");
  // What it was opened for comes first; once something else is chosen, that counts.
  const parts: Partial<Record<What, ExportPart>> = {
    piece: { name: "Whole piece", start: 0, end: documentEnd(doc) },
    ...(range && { range: { name: "Range", start: range.start, end: range.end } }),
    ...(loop && { loop: { name: "Loop", start: loop.start, end: loop.end } }),
    ...(part && part.name !== "Range" && { part }),
  };
  useEffect(() => {
    if (part) setWhat(part.name === "Range" ? "range" : "part");
  }, [part]);
  return { parts, what: part && chosen === "part" ? "part" : parts[chosen] ? chosen : "piece", setWhat };
}

/** The names that the files would have, asked for once one stops typing. */
function useNames(request: Record<string, unknown>, empty: boolean): { files: readonly string[]; count: number } | string {
  const versionId = useSession((s) => s.versionId);
  const revision = useSession((s) => s.revision);
  const [names, setNames] = useState<{ files: readonly string[]; count: number } | string>({ files: [], count: 0 });
  const text = JSON.stringify(request);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another revision may have other tracks, sections and clips
  useEffect(() => {
    if (empty) return;
    let gone = false;
    const timer = setTimeout(() => {
      ask<{ files: string[]; count: number }>(`/api/versions/${versionId}/exports/preview`, { json: JSON.parse(text) }).then(
        (found) => !gone && setNames(found),
        (error: Error) => {
          if (!(error instanceof ServerError)) throw error;
          if (!gone) setNames(error.message);
        },
      );
    }, 200);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, [text, versionId, revision, empty]);
  return names;
}

const number = (text: string, least: number, most: number, take: (n: number) => void): boolean => {
  const n = Number(text.replace("−", "-").replace(",", "."));
  if (text.trim() === "" || !(n >= least && n <= most)) return false;
  take(n);
  return true;
};

/** Sound as files: what, in which form, how loud, and what came of it. */
export function SoundOut({ out }: { out: ReturnType<typeof useExport> }) {
  const s = useOut();
  const doc = useSession((x) => x.doc);
  const { parts, what, setWhat } = useParts();
  const part = parts[what] as ExportPart;
  const { job, start, callOff, busy } = out;
  const format: OutFormat = OUT_FORMATS[s.format];
  const samples = format.samples?.includes(s.samples) ? s.samples : "pcm24";
  const silent = [...doc.tracks.values()].filter((t) => t.mute).length;
  const soloed = [...doc.tracks.values()].filter((t) => t.solo).length;
  const request = requestOf(s, part, doc.sampleRate, false);
  const names = useNames(request, part.end <= part.start);
  const rates = [44_100, 48_000, 88_200, 96_000, 192_000].filter((r) => takesRate(format, r) && r !== doc.sampleRate);
  const own = takesRate(format, doc.sampleRate);
  const rate = s.rate !== 0 && takesRate(format, s.rate) ? s.rate : own ? 0 : (rates[0] ?? 0);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-6 max-[820px]:grid-cols-1 max-[820px]:overflow-y-auto">
      <div className="min-h-0 space-y-3 overflow-y-auto pr-1 max-[820px]:overflow-visible">
        <Row name="What">
          <Segments
            label="What to export"
            value={what}
            onChange={setWhat}
            options={WHATS.filter((w) => parts[w]).map((w) => [w, (parts[w] as ExportPart).name])}
          />
          <p className="num mt-1.5 text-ink-3 text-sm">{formatLength(part.end - part.start, doc.sampleRate)}</p>
          {!part.trackIds && (silent > 0 || soloed > 0) && (
            <p className="mt-1 text-ink-2 text-sm" role="note">
              {soloed > 0
                ? `Only what is soloed is heard: ${soloed === 1 ? "1 track" : `${soloed} tracks`}.`
                : `${silent === 1 ? "1 track is" : `${silent} tracks are`} muted and will not be in it.`}
            </p>
          )}
        </Row>
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
                value={samples}
                onChange={(to) => set({ samples: to })}
                options={(
                  [
                    ["pcm16", "16 bit"],
                    ["pcm24", "24 bit"],
                    ["float32", "32 float"],
                  ] as const
                ).filter(([id]) => format.samples?.includes(id))}
              />
            </div>
          )}
          {format.bits && (
            <div className="mt-1.5">
              <Segments
                label="Kilobits a second"
                value={String(s.format === "opus" && s.bits === 0 ? 128 : s.bits)}
                onChange={(to) => set({ bits: Number(to) })}
                options={
                  s.format === "mp3"
                    ? [
                        ["128", "128"],
                        ["192", "192"],
                        ["256", "256"],
                        ["320", "320 kbit/s"],
                        ["0", "Varying, best"],
                      ]
                    : [
                        ["64", "64"],
                        ["96", "96"],
                        ["128", "128"],
                        ["192", "192"],
                        ["256", "256 kbit/s"],
                      ]
                }
              />
            </div>
          )}
        </Row>
        <div className="grid grid-cols-2 gap-3">
          <Row name="Rate">
            <select
              aria-label="Rate"
              className="h-7 w-full rounded-md border border-line bg-raised px-2"
              value={rate}
              onChange={(e) => set({ rate: Number(e.target.value) })}
            >
              {own && <option value={0}>{doc.sampleRate / 1000} kHz, as the piece</option>}
              {rates.map((r) => (
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
        {format.samples && samples !== "float32" && (
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
        )}
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
        <Row name="Name">
          <Field
            numeric={false}
            label="Names of the files"
            unit="{project} {version} {track} {name} {n}"
            value={s.pattern}
            onCommit={(pattern) => set({ pattern })}
          />
          <div className="mt-1.5 text-sm" aria-live="polite">
            {typeof names === "string" ? (
              <p className="text-madder">{names}</p>
            ) : (
              <ul className="text-ink-2" aria-label="Files that will be written">
                {names.files.slice(0, 3).map((n) => (
                  <li key={n} className="truncate">
                    {n}
                  </li>
                ))}
                {names.count > 3 && <li>and {names.count - 3} more, as one zip</li>}
              </ul>
            )}
          </div>
        </Row>
      </div>
      <div className="flex min-h-0 flex-col">
        <div className="min-h-0 flex-1 overflow-y-auto">
          {job?.status === "failed" && <p className="text-madder">{job.error}</p>}
          {job?.status === "ready" && job.files.length > 0 ? (
            <Report key={job.id} job={job} />
          ) : (
            !busy && (
              <p className="text-ink-3">
                How loud it is stands here once it has been measured or rendered: all of it, its loudest moments, its true peak, and its course.
              </p>
            )
          )}
          {busy && job && (
            <>
              <p className="mb-2 text-ink-2">Rendering …</p>
              <div
                role="progressbar"
                aria-valuenow={Math.round(job.progress * 100)}
                aria-label="Rendering"
                className="h-1.5 overflow-hidden rounded-full bg-weft"
              >
                <div className="h-full bg-indigo" style={{ width: `${Math.max(3, job.progress * 100)}%` }} />
              </div>
            </>
          )}
        </div>
        <div className="mt-3 flex flex-none gap-2">
          {busy && job?.id ? (
            <Button className="flex-1" onClick={callOff}>
              Cancel
            </Button>
          ) : (
            <Button
              className="flex-1"
              disabled={part.end <= part.start}
              title="How loud it is, without a file"
              onClick={() => void start(requestOf(s, part, doc.sampleRate, true))}
            >
              Measure
            </Button>
          )}
          <Button look="main" className="flex-1" disabled={busy || part.end <= part.start} onClick={() => void start(request)}>
            {busy ? "Rendering …" : "Render"}
          </Button>
          {job?.status === "ready" && job.bytes > 0 && (
            <a
              href={fileOf(job.id)}
              download
              className="inline-flex h-8 flex-none items-center justify-center gap-2 whitespace-nowrap rounded-md border border-line bg-raised px-3 font-medium hover:border-ink-3"
            >
              <Download size={15} aria-hidden /> Save file
              <span className="num text-ink-3 text-sm">{sizeOf(job.bytes)}</span>
            </a>
          )}
        </div>
      </div>
    </div>
  );
}
