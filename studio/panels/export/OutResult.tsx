"use client";
import { Download } from "lucide-react";
import { Button } from "@/ui/controls";
import { sizeOf } from "../frame/size";
import { Report } from "./Report";
import { fileOf } from "./settings";
import type { useExport } from "./use-export";

type Out = ReturnType<typeof useExport>;

/** What came of it: how loud it is, that it is under way, or why it failed. */
export function OutResult({ out: { job, busy } }: { out: Out }) {
  return (
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
  );
}

/** Measure, render, call off, and the file once it is there. `request` says what to make; with true only measured. */
export function OutActions({
  out: { job, start, callOff, busy },
  empty,
  request,
}: {
  out: Out;
  empty: boolean;
  request: (measured: boolean) => Record<string, unknown>;
}) {
  return (
    <div className="mt-3 flex flex-none gap-2">
      {busy && job?.id ? (
        <Button className="flex-1" onClick={callOff}>
          Cancel
        </Button>
      ) : (
        <Button className="flex-1" disabled={empty} title="How loud it is, without a file" onClick={() => void start(request(true))}>
          Measure
        </Button>
      )}
      <Button look="main" className="flex-1" disabled={busy || empty} onClick={() => void start(request(false))}>
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
  );
}
