"use client";
import { useRef, useState } from "react";
import { toast } from "sonner";
import { switchVersion } from "@/commands/version-switch";
import { ask, ServerError } from "@/state/api";
import { session, useSession } from "@/state/session";
import { useSettings } from "@/state/settings";
import { Button } from "@/ui/controls";

const link = "inline-flex h-7 items-center justify-center rounded-md border border-line bg-raised px-2 text-sm hover:border-ink-3";

/** Files for and from other programs: the tempo map as MIDI, tables; what a format can't hold is said before it is written. */
export function OtherFiles() {
  const versionId = useSession((s) => s.versionId);
  const projectId = useSession((s) => s.project.id);
  const unit = useSettings((s) => s.readOuts[0]);
  const [left, setLeft] = useState<{ format: "midi" | "otio"; words: readonly string[] } | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const base = `/api/versions/${versionId}/interchange`;
  const save = async (format: "midi" | "otio"): Promise<void> => {
    try {
      await session().settled();
      const found = (await ask<{ left: string[] }>(`${base}/${format}?check=1`)).left;
      if (found.length === 0) window.location.assign(`${base}/${format}`);
      else setLeft({ format, words: found });
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      toast.error(error.message);
    }
  };
  const read = async (file: File): Promise<void> => {
    try {
      const answer = await ask<{ version: { id: string; name: string }; left: string[]; missing: string[] }>(
        `/api/projects/${projectId}/interchange?name=${encodeURIComponent(file.name)}&unit=${unit}`,
        { method: "POST", body: file },
      );
      await session().refreshSources();
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
  return (
    <div className="border-line border-t pt-3">
      <span className="mb-1 block text-ink-2 text-sm">For other programs</span>
      <div className="flex flex-wrap gap-1.5">
        <button type="button" className={link} title="The whole version as OpenTimelineIO" onClick={() => void save("otio")}>
          Timeline (OTIO)
        </button>
        <button type="button" className={link} title="Tempo, meter and markers as a Standard MIDI file" onClick={() => void save("midi")}>
          Tempo map (MIDI)
        </button>
        <span className="self-center text-ink-2 text-sm">Tables:</span>
        {(["markers", "sections", "clips", "seams"] as const).map((what) => (
          <a key={what} className={link} href={`${base}/csv?what=${what}&unit=${unit}`} download title={`A table of ${what}, as CSV`}>
            {what}
          </a>
        ))}
      </div>
      {left && (
        <div className="mt-2 rounded-md border border-line p-2 text-sm" role="note">
          <ul className="list-disc space-y-0.5 pl-4 text-ink-2">
            {left.words.map((l) => (
              <li key={l}>{l}</li>
            ))}
          </ul>
          <a className={`${link} mt-2 w-full font-medium`} href={`${base}/${left.format}`} download onClick={() => setLeft(null)}>
            {left.format === "midi" ? "Save the MIDI file" : "Save the timeline"}
          </a>
        </div>
      )}
      <input
        ref={input}
        type="file"
        accept=".otio,.json,.mid,.midi,.csv,.txt"
        className="hidden"
        aria-label="File to read into a new version"
        onChange={(e) => {
          const [file] = e.target.files ?? [];
          e.target.value = "";
          if (file) void read(file);
        }}
      />
      <Button
        className="mt-2 w-full"
        title="A timeline, a MIDI file of tempo and markers, or a table of markers, into a new version"
        onClick={() => input.current?.click()}
      >
        Read a file into a new version …
      </Button>
    </div>
  );
}
