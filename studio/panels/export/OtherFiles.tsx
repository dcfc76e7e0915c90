"use client";
import { FRAME_RATES } from "@wet-thread/core/time/timecode";
import { type ReactNode, useRef, useState } from "react";
import { switchVersion } from "@/commands/view/version-switch";
import { useSettings } from "@/state/kept/settings";
import { ask, ServerError } from "@/state/sync/api";
import { session, useSession } from "@/state/sync/session";
import { toast } from "@/state/words/toast";
import { Button, Field } from "@/ui/controls";

const link = "inline-flex h-8 items-center justify-center rounded-md border border-line bg-raised px-3 hover:border-ink-3";

type Format = "otio" | "edl" | "midi";
const SAVES: Record<Format, string> = { otio: "Save the timeline", edl: "Save the list", midi: "Save the MIDI file" };

function Kind({ title, words, below, children }: { title: string; words: string; below?: ReactNode; children: ReactNode }) {
  return (
    <section className="grid grid-cols-[minmax(0,1fr)_auto] items-center gap-x-6 gap-y-1 border-line border-b py-3 first:pt-0 last:border-0">
      <div className="min-w-0">
        <h3 className="font-semibold">{title}</h3>
        <p className="text-ink-2 text-sm">{words}</p>
      </div>
      <div className="flex flex-wrap items-center justify-end gap-2">{children}</div>
      {below}
    </section>
  );
}

/** Files for and from other programs; what a format can't hold is said before it is written. */
export function OtherFiles() {
  const versionId = useSession((s) => s.versionId);
  const projectId = useSession((s) => s.project.id);
  const own = useSession((s) => s.doc.piece.frameRate);
  const unit = useSettings((s) => s.readOuts[0]);
  const [left, setLeft] = useState<{ format: Format; words: readonly string[] } | null>(null);
  const [frameRate, setFrameRate] = useState<string | null>(null);
  const [start, setStart] = useState("01:00:00:00");
  const [history, setHistory] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const base = `/api/versions/${versionId}/interchange`;
  const address = (format: Format): string =>
    format === "edl" ? `${base}/edl?frameRate=${encodeURIComponent(frameRate ?? own)}&start=${encodeURIComponent(start)}` : `${base}/${format}`;
  const save = async (format: Format): Promise<void> => {
    try {
      await session().settled();
      const to = address(format);
      const found = (await ask<{ left: string[] }>(`${to}${to.includes("?") ? "&" : "?"}check=1`)).left;
      if (found.length === 0) window.location.assign(to);
      else setLeft({ format, words: found });
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      toast.error(error.message);
    }
  };
  const read = async (file: File): Promise<void> => {
    const own = session();
    try {
      const answer = await ask<{ version: { id: string; name: string }; left: string[]; missing: string[] }>(
        `/api/projects/${projectId}/interchange?name=${encodeURIComponent(file.name)}&unit=${unit}`,
        { method: "POST", body: file },
      );
      await own.refreshSources();
      void switchVersion(answer.version.id);
      toast.success(`Read ${file.name} into the version ${answer.version.name}`, {
        duration: 8000,
        ...(answer.missing.length > 0 && {
          description: `Recordings that are not in this project: ${answer.missing.slice(0, 6).join(", ")}${answer.missing.length > 6 ? " …" : ""}`,
        }),
        ...(answer.missing.length === 0 &&
          answer.left.length > 0 && { description: `Left: ${answer.left.slice(0, 6).join("; ")}${answer.left.length > 6 ? " …" : ""}` }),
      });
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      toast.error(error.message, { duration: 10_000 });
    }
  };
  const notes = (format: Format): ReactNode =>
    left?.format === format && (
      <div className="col-span-2 mt-1 rounded-md border border-line p-2.5 text-sm" role="note">
        <ul className="list-disc space-y-0.5 pl-4 text-ink-2">
          {left.words.map((l) => (
            <li key={l}>{l}</li>
          ))}
        </ul>
        <a className={`${link} mt-2 w-full font-medium`} href={address(format)} download onClick={() => setLeft(null)}>
          {SAVES[format]}
        </a>
      </div>
    );
  return (
    <div className="min-h-0 flex-1 overflow-y-auto pr-1">
      <Kind title="Timeline" words="OpenTimelineIO: the whole version, with its blends and layers." below={notes("otio")}>
        <button type="button" className={link} onClick={() => void save("otio")}>
          Timeline (OTIO)
        </button>
      </Kind>
      <Kind title="Edit decision list" words="CMX 3600: up to four tracks, in whole frames." below={notes("edl")}>
        <select
          aria-label="Frames a second"
          className="h-8 rounded-md border border-line bg-raised px-2"
          value={frameRate ?? own}
          onChange={(e) => setFrameRate(e.target.value)}
        >
          {FRAME_RATES.map((r) => (
            <option key={r.id} value={r.id}>
              {r.id}
            </option>
          ))}
        </select>
        <Field
          className="w-[150px]"
          label="Time of the beginning"
          unit="begins"
          value={start}
          onCommit={(text) => {
            if (!/^\d{2}:\d{2}:\d{2}[:;]\d{2}$/.test(text.trim())) {
              toast("A time is written like 01:00:00:00.", { id: "edl-start" });
              return false;
            }
            setStart(text.trim());
          }}
        />
        <button type="button" className={link} onClick={() => void save("edl")}>
          List (EDL)
        </button>
      </Kind>
      <Kind title="Tempo map" words="Standard MIDI file: tempo, meter and markers." below={notes("midi")}>
        <button type="button" className={link} onClick={() => void save("midi")}>
          Tempo map (MIDI)
        </button>
      </Kind>
      <Kind title="Tables" words="CSV, with positions in the unit of the first read-out, and in samples.">
        {(["markers", "sections", "clips", "seams"] as const).map((what) => (
          <a key={what} className={link} href={`${base}/csv?what=${what}&unit=${unit}`} download title={`A table of ${what}, as CSV`}>
            {what}
          </a>
        ))}
      </Kind>
      <Kind title="Project archive" words="One zip of everything: all versions, and every recording's own file. Read it back from the projects page.">
        <label className="flex items-center gap-2 text-sm">
          <input type="checkbox" checked={history} onChange={(e) => setHistory(e.target.checked)} /> with history
        </label>
        <a className={link} href={`/api/projects/${projectId}/archive${history ? "?history=1" : ""}`} download>
          Archive (zip)
        </a>
      </Kind>
      <Kind title="From other programs" words="A timeline, a list, a MIDI file of tempo and markers, or a table of markers becomes a new version.">
        <input
          ref={input}
          type="file"
          accept=".otio,.json,.edl,.mid,.midi,.csv,.txt"
          className="hidden"
          aria-label="File to read into a new version"
          onChange={(e) => {
            const [file] = e.target.files ?? [];
            e.target.value = "";
            if (file) void read(file);
          }}
        />
        <Button onClick={() => input.current?.click()}>Read a file into a new version …</Button>
      </Kind>
    </div>
  );
}
