"use client";
import { documentEnd } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { Download } from "lucide-react";
import { useRef, useState } from "react";
import { toast } from "sonner";
import { useSession } from "@/state/session";
import { useView } from "@/state/view";
import { Button, Popover, Segments } from "@/ui/controls";
import { type Encoding, useExport } from "./use-export";

const fileOf = (id: string): string => `/api/exports/${id}/file`;

/** Renders the piece or the range to a WAV file in a job of the server. */
export function ExportMenu() {
  const range = useView((v) => v.range);
  const doc = useSession((s) => s.doc);
  const [what, setWhat] = useState<"piece" | "range">("piece");
  const [encoding, setEncoding] = useState<Encoding>("pcm24");
  const span = what === "range" && range ? { start: range.start, end: range.end } : { start: 0, end: documentEnd(doc) };
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
            value={range ? what : "piece"}
            onChange={setWhat}
            options={
              range
                ? [
                    ["piece", "Whole piece"],
                    ["range", "Range"],
                  ]
                : [["piece", "Whole piece"]]
            }
          />
          <p className="num mt-1.5 text-ink-3 text-sm">{formatLength(span.end - span.start, doc.sampleRate)}</p>
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
      </div>
    </Popover>
  );
}
