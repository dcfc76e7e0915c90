"use client";
import { documentEnd } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { Download } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import { ask, ServerError } from "@/state/api";
import { session, useSession } from "@/state/session";
import { useView } from "@/state/view";
import { Button, Popover, Segments } from "@/ui/controls";

type Encoding = "pcm16" | "pcm24" | "float32";
interface Job {
  readonly id: string;
  readonly status: "queued" | "rendering" | "ready" | "failed";
  readonly progress: number;
  readonly error: string | null;
  readonly name: string;
}

const wait = (ms: number): Promise<void> => new Promise((wake) => setTimeout(wake, ms));

/** Renders the piece or the range to a WAV file in a job of the server. */
export function ExportMenu() {
  const range = useView((v) => v.range);
  const doc = useSession((s) => s.doc);
  const [what, setWhat] = useState<"piece" | "range">("piece");
  const [encoding, setEncoding] = useState<Encoding>("pcm24");
  const [job, setJob] = useState<Job | null>(null);
  const span = what === "range" && range ? { start: range.start, end: range.end } : { start: 0, end: documentEnd(doc) };
  const start = async (): Promise<void> => {
    setJob({ id: "", status: "queued", progress: 0, error: null, name: "" });
    try {
      // What is exported is what is seen: the steps on their way are waited for, and the revision that they lead to is named.
      await session().settled();
      const { versionId, revision } = session().store.getState();
      const { id } = await ask<{ id: string }>(`/api/versions/${versionId}/exports`, { json: { span, format: "wav", encoding, revision } });
      await follow(id);
    } catch (error) {
      setJob(null);
      // One that was called off is not there any more.
      if (error instanceof ServerError) {
        if (error.status !== 404) toast.error(error.message);
      } else throw error;
    }
  };
  /** Looks after an export until it has ended; a server that is away is waited for. */
  const follow = async (id: string): Promise<void> => {
    for (;;) {
      const now = await ask<Job>(`/api/exports/${id}`).catch((error: ServerError) => {
        if (error.passing) return null;
        throw error;
      });
      if (now) setJob(now);
      if (now?.status === "ready" || now?.status === "failed") return;
      await wait(now ? 250 : 1000);
    }
  };
  const callOff = (): void => {
    const { id } = job ?? {};
    if (id) void ask(`/api/exports/${id}`, { method: "DELETE" }).catch(() => {});
    setJob(null);
    toast("The export was called off. Nothing was kept of it.", { id: "export" });
  };
  const busy = job !== null && job.status !== "ready" && job.status !== "failed";
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
      <div className="space-y-3">
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
        {busy && (
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
          <Button look="main" className="flex-1" disabled={busy || span.end <= span.start} onClick={() => void start()}>
            {busy ? "Rendering …" : "Render"}
          </Button>
          {busy && job.id !== "" && (
            <Button className="flex-1" onClick={callOff}>
              Cancel
            </Button>
          )}
          {job?.status === "ready" && (
            <a
              href={`/api/exports/${job.id}/file`}
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
