"use client";
import { OUT_FORMATS } from "@wet-thread/core/media/writers";
import { Download, RotateCw, Trash2 } from "lucide-react";
import { useCallback, useEffect, useState } from "react";
import { ask, ServerError } from "@/state/sync/api";
import { useSession } from "@/state/sync/session";
import { toast } from "@/state/words/toast";
import { sizeOf } from "../frame/size";
import { fileOf, type OutJob } from "./settings";

interface Made extends OutJob {
  readonly version: string;
  readonly revision: number;
  /** Whether the version has been edited since. */
  readonly changed: boolean;
  readonly createdAt: string;
}
interface MadeList {
  readonly exports: readonly Made[];
  /** Days for which they stay. */
  readonly days: number;
}

const WHEN = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long", hour: "2-digit", minute: "2-digit" });

function words({ spec, files }: Made): string {
  const level =
    spec.normalise?.loudness !== undefined ? `to ${spec.normalise.loudness} LUFS` : spec.normalise ? `to a peak of ${spec.normalise.peak} dBFS` : "";
  const many = spec.split === "none" ? "" : `each ${spec.split.slice(0, -1)}`;
  const [file] = files;
  const rate = file ? `${file.sampleRate / 1000} kHz` : "";
  return [spec.measure ? "measured only" : OUT_FORMATS[spec.format].name, rate, many, level].filter(Boolean).join(" · ");
}

/** The exports of the project: what each was made from; saved again, made again, taken away. */
export function MadeBefore({ onAgain }: { onAgain: (id: string) => void }) {
  const projectId = useSession((s) => s.project.id);
  const [list, setList] = useState<MadeList | null>(null);
  const rows = list?.exports;
  const [wrong, setWrong] = useState("");
  const refresh = useCallback(async () => {
    try {
      setList(await ask<MadeList>(`/api/projects/${projectId}/exports`));
      setWrong("");
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      setWrong(error.message);
    }
  }, [projectId]);
  useEffect(() => void refresh(), [refresh]);
  // What is still being made is looked after.
  const underWay = rows?.some((r) => r.status === "queued" || r.status === "rendering") ?? false;
  useEffect(() => {
    if (!underWay) return;
    const timer = setInterval(() => void refresh(), 1000);
    return () => clearInterval(timer);
  }, [underWay, refresh]);
  const tried = async (work: () => Promise<unknown>): Promise<void> => {
    try {
      await work();
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      toast.error(error.message);
    }
    await refresh();
  };
  if (wrong) return <p className="text-madder">{wrong}</p>;
  if (rows?.length === 0) return <p className="text-ink-2">Nothing was exported yet. What is rendered stays here for {list?.days} days.</p>;
  return (
    <>
      {list && <p className="pb-1 text-ink-3 text-sm">Each stays here for {list.days} days, and can be made again as long.</p>}
      <ul className="min-h-0 flex-1 divide-y divide-line overflow-y-auto" aria-label="Exports">
        {rows?.map((r) => (
          <li key={r.id} className="flex items-center gap-3 py-2.5">
            <div className="min-w-0 flex-1">
              <p className="truncate font-medium" title={r.name}>
                {r.name}
              </p>
              <p className="text-ink-2 text-sm">{words(r)}</p>
              <p className="text-ink-3 text-sm">
                {WHEN.format(new Date(r.createdAt))} · {r.version}, step {r.revision}
                {r.changed && " · edited since"}
                {r.status === "failed" && <span className="text-madder"> · {r.error}</span>}
              </p>
            </div>
            {r.status === "ready" && r.bytes > 0 && (
              <a
                href={fileOf(r.id)}
                download
                className="flex h-8 items-center gap-1.5 rounded-md border border-line px-2 hover:border-ink-3"
                aria-label={`Save ${r.name}`}
              >
                <Download size={14} aria-hidden /> <span className="num text-sm">{sizeOf(r.bytes)}</span>
              </a>
            )}
            {(r.status === "queued" || r.status === "rendering") && <span className="num text-ink-2 text-sm">{Math.round(r.progress * 100)} %</span>}
            <button
              type="button"
              className="flex h-8 items-center gap-1.5 rounded-md border border-line px-2 hover:border-ink-3"
              title="The same settings, of the piece as it is now"
              onClick={() => void tried(async () => onAgain((await ask<{ id: string }>(`/api/exports/${r.id}/again`, { json: {} })).id))}
            >
              <RotateCw size={14} aria-hidden /> Make again
            </button>
            <button
              type="button"
              aria-label={`Remove ${r.name}`}
              className="rounded-md p-2 text-ink-2 hover:bg-weft"
              onClick={() => void tried(() => ask(`/api/exports/${r.id}`, { method: "DELETE" }))}
            >
              <Trash2 size={15} />
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}
