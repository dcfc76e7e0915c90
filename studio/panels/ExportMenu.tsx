"use client";
import { documentEnd } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { Download } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import { type ExportPart, useExportMenu } from "@/commands/export-here";
import { useSession } from "@/state/session";
import { useView } from "@/state/view";
import { Button, Popover, Segments } from "@/ui/controls";
import { OtherFiles } from "./OtherFiles";
import { type Encoding, useExport } from "./use-export";

const WHATS = ["piece", "range", "loop", "part"] as const;
type What = (typeof WHATS)[number];

const fileOf = (id: string): string => `/api/exports/${id}/file`;

/** Renders the piece or the range to a WAV file in a job of the server. */
export function ExportMenu() {
  const range = useView((v) => v.range);
  const { open, part } = useExportMenu();
  const doc = useSession((s) => s.doc);
  const { loop } = doc.piece;
  const [chosen, setWhat] = useState<What>("piece");
  const [encoding, setEncoding] = useState<Encoding>("pcm24");
  // What it was opened for comes first; once something else is chosen, that counts.
  const parts: Partial<Record<What, ExportPart>> = {
    piece: { name: "Whole piece", start: 0, end: documentEnd(doc) },
    ...(range && { range: { name: "Range", start: range.start, end: range.end } }),
    ...(loop && { loop: { name: "Loop", start: loop.start, end: loop.end } }),
    ...(part && { part }),
  };
  const what: What = part && chosen === "part" ? "part" : parts[chosen] ? chosen : "piece";
  const span = parts[what] as ExportPart;
  useEffect(() => {
    if (part) setWhat(part.name === "Range" ? "range" : "part");
  }, [part]);
  const silent = [...doc.tracks.values()].filter((t) => t.mute).length;
  const soloed = [...doc.tracks.values()].filter((t) => t.solo).length;
  const place = useRef<HTMLDivElement>(null);
  const { job, start, callOff, busy } = useExport((id) => {
    // Where the menu is open it shows it by itself.
    if (!place.current)
      toast.success("The export is ready.", {
        id: "export",
        duration: 30_000,
        action: { label: "Save file", onClick: () => window.location.assign(fileOf(id)) },
      });
  });
  return (
    <Popover
      open={open}
      onOpenChange={(now) => useExportMenu.setState({ open: now, ...(!now && { part: null }) })}
      align="end"
      width={320}
      trigger={
        <Button look="main" className="ml-1" data-testid="export">
          Export
        </Button>
      }
    >
      <div ref={place} className="space-y-3">
        <div>
          <span className="mb-1 block text-ink-2 text-sm">What</span>
          <Segments
            label="What to export"
            value={what}
            onChange={setWhat}
            options={WHATS.filter((w) => parts[w] && !(w === "part" && part?.name === "Range")).map((w) => [w, (parts[w] as ExportPart).name])}
          />
          <p className="num mt-1.5 text-ink-3 text-sm">{formatLength(span.end - span.start, doc.sampleRate)}</p>
          {!span.trackIds && (silent > 0 || soloed > 0) && (
            <p className="mt-1 text-ink-2 text-sm" role="note">
              {soloed > 0
                ? `Only what is soloed is heard: ${soloed === 1 ? "1 track" : `${soloed} tracks`}.`
                : `${silent === 1 ? "1 track is" : `${silent} tracks are`} muted and will not be in it.`}
            </p>
          )}
        </div>
        <div>
          <span className="mb-1 block text-ink-2 text-sm">WAV</span>
          <Segments
            label="Samples"
            value={encoding}
            onChange={setEncoding}
            options={[
              ["pcm16", "16 bit"],
              ["pcm24", "24 bit"],
              ["float32", "32 float"],
            ]}
          />
        </div>
        {busy && job && (
          <div
            role="progressbar"
            aria-valuenow={Math.round(job.progress * 100)}
            aria-label="Rendering"
            className="h-1.5 overflow-hidden rounded-full bg-weft"
          >
            <div className="h-full bg-indigo" style={{ width: `${Math.max(3, job.progress * 100)}%` }} />
          </div>
        )}
        {job?.status === "failed" && <p className="text-madder text-sm">{job.error}</p>}
        <div className="flex gap-2">
          <Button look="main" className="flex-1" disabled={busy || span.end <= span.start} onClick={() => void start(span, encoding)}>
            {busy ? "Rendering …" : "Render"}
          </Button>
          {busy && job?.id && (
            <Button className="flex-1" onClick={callOff}>
              Cancel
            </Button>
          )}
          {job?.status === "ready" && (
            <a
              href={fileOf(job.id)}
              download
              className="inline-flex h-8 flex-1 items-center justify-center gap-2 rounded-md border border-line bg-raised px-3 font-medium hover:border-ink-3"
            >
              <Download size={15} aria-hidden /> Save file
            </a>
          )}
        </div>
        <OtherFiles />
      </div>
    </Popover>
  );
}
