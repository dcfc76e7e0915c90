"use client";
import { formatClock } from "@wet-thread/core/time/format";
import { Plus, Upload } from "lucide-react";
import { useSession } from "@/state/session";
import { useView, view } from "@/state/view";
import { Button } from "@/ui/controls";
import { chooseFiles, layOut } from "../import-files";
import { Empty } from "./parts";

/** Every recording of the project. */
export function SourcesTab() {
  const sources = [...useSession((s) => s.sources).values()];
  const doc = useSession((s) => s.doc);
  const trackId = useView((v) => v.trackId);
  const used = new Map<string, number>();
  for (const clip of doc.clips.values()) used.set(clip.sourceId, (used.get(clip.sourceId) ?? 0) + 1);
  return (
    <div>
      <Button className="w-full" onClick={chooseFiles}>
        <Upload size={15} aria-hidden /> Import recordings
      </Button>
      {sources.length === 0 && <Empty title="No recordings yet">Drop WAV files anywhere in the window, or import them here.</Empty>}
      <ul className="-mx-1.5 mt-3">
        {sources.map((s) => (
          <li key={s.id} className="group flex items-center gap-2 rounded-sm px-1.5 py-1.5 hover:bg-weft">
            <div className="min-w-0 flex-1">
              <p className="truncate font-medium">{s.name}</p>
              <p className="num text-ink-3 text-xs">
                {s.status === "ready"
                  ? `${formatClock(s.length, s.sampleRate, 1)} · ${s.originalRate / 1000} kHz · ${s.channels === 1 ? "mono" : s.channels === 2 ? "stereo" : `${s.channels} ch`} · ${s.transients.length} hits · used ${used.get(s.id) ?? 0}×`
                  : s.status === "failed"
                    ? s.error
                    : `reading ${Math.round(s.progress * 100)} %`}
              </p>
            </div>
            {s.status === "ready" && (
              <Button
                look="quiet"
                aria-label={`Lay ${s.name} at the playhead`}
                title="Lay at the playhead"
                className="!h-7 !px-1.5"
                onClick={() => layOut(s, trackId, view().playhead)}
              >
                <Plus size={15} />
              </Button>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}
