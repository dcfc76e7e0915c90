"use client";
import { Upload as UploadIcon, X } from "lucide-react";
import { type ReactNode, useEffect, useState } from "react";
import { arrange, filesDropped, useUploads } from "@/commands/files/import-files";
import { ask, ServerError } from "@/state/sync/api";
import { session, useSession } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { dropsAsk } from "@/timeline/gestures/gesture";
import { flagLines } from "@/timeline/model/describe";
import { laneAt } from "@/timeline/model/geometry";
import { clearPreview, setPreview } from "@/timeline/model/preview";
import { snapped } from "@/timeline/model/snapping";
import { ArrangeFiles } from "./ArrangeFiles";

/** Takes files that are dropped anywhere: on a lane they go there, elsewhere they start tracks of their own. */
export function DropFiles({ children }: { children: ReactNode }) {
  const [over, setOver] = useState(false);
  useEffect(() => {
    const paste = (e: ClipboardEvent): void => {
      const files = [...(e.clipboardData?.files ?? [])];
      if (files.length === 0 || (e.target as HTMLElement | null)?.closest?.("input, textarea")) return;
      e.preventDefault();
      arrange(files, { trackId: view().trackId, position: view().playhead });
    };
    window.addEventListener("paste", paste);
    return () => window.removeEventListener("paste", paste);
  }, []);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the import button and dialog do the same by keyboard
    <div
      onDragOver={(e) => {
        if (![...e.dataTransfer.types].includes("Files")) return;
        e.preventDefault();
        setOver(true);
        const place = placeOf(e);
        setPreview({
          lit: place.inside ? { position: place.position, kind: place.target ?? "free" } : null,
          flag: place.inside ? { x: place.x, y: place.y, lines: [place.lane ? `on ${place.lane.track.name}` : "on a new track", place.words] } : null,
        });
      }}
      onDragLeave={(e) => {
        if (e.currentTarget !== e.target) return;
        setOver(false);
        clearPreview();
      }}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        clearPreview();
        const { inside, lane, position, x, y } = placeOf(e);
        void filesDropped(e.dataTransfer).then((files) => {
          if (files.length === 0) return;
          const lay = (at: number): void => arrange(files, { trackId: lane?.trackId ?? null, position: at });
          if (inside && dropsAsk())
            setView({ placing: { from: { start: position, end: position }, x, y, by: 0, place: (by) => lay(position + by) } });
          else lay(position);
        });
      }}
    >
      {children}
      {over && (
        <div className="pointer-events-none fixed inset-2 z-30 grid place-items-center rounded-lg border-2 border-indigo border-dashed bg-surface/60">
          <p className="rounded-lg bg-raised px-5 py-3 font-semibold shadow-float">Drop on a lane to lay it there, or below for a new track</p>
        </div>
      )}
      <Progress />
      <ArrangeFiles />
    </div>
  );
}

/** Where files that are dropped would be laid: snapped as everything is, and in words. */
function placeOf(e: { clientX: number; clientY: number }) {
  const { doc } = session();
  const lanes = document.querySelector("[data-testid=lanes]")?.getBoundingClientRect();
  const inside = lanes !== undefined && e.clientX >= lanes.left && e.clientY >= lanes.top && e.clientY <= lanes.bottom;
  if (!inside) return { inside, x: 0, y: 0, position: 0, target: null, lane: undefined, words: "" };
  const [x, y] = [e.clientX - lanes.left, e.clientY - lanes.top];
  const { position, target } = snapped(doc, { wanted: Math.max(0, view().start + x * view().samplesPerPixel), origin: 0 });
  return {
    inside,
    x,
    y,
    position,
    target: target?.kind ?? null,
    lane: laneAt(doc, y + view().scrollY),
    words: flagLines(doc, position, null, target).join(" · "),
  };
}

/** Stops a recording that is being read, and takes it away. */
async function takeAway(id: string): Promise<void> {
  const own = session();
  try {
    await ask(`/api/sources/${id}`, { method: "DELETE" });
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(error.message);
  }
  await own.refreshSources();
}

/** What is being sent and read, with a way to stop it. */
function Progress() {
  const uploads = useUploads((s) => s.list);
  const sources = useSession((s) => s.sources);
  const reading = [...sources.values()].filter((s) => s.status === "queued" || s.status === "importing");
  if (uploads.length + reading.length === 0) return null;
  return (
    <section
      aria-label="Imports"
      className="fixed right-4 bottom-10 z-30 w-[300px] space-y-2 rounded-lg border border-line bg-raised p-3 shadow-float"
    >
      <h2 className="flex items-center gap-2 font-semibold">
        <UploadIcon size={15} aria-hidden /> Importing
        {uploads.length + reading.length > 1 && (
          <button
            type="button"
            className="ml-auto rounded-sm px-1 font-normal text-ink-2 text-sm hover:bg-weft"
            onClick={() => {
              for (const u of uploads) u.cancel();
              for (const s of reading) void takeAway(s.id);
            }}
          >
            Cancel all
          </button>
        )}
      </h2>
      {uploads.map((u) => (
        <Row key={u.id} name={u.name} what="sending" part={u.size ? u.sent / u.size : 0} onCancel={u.cancel} />
      ))}
      {reading.map((s) => (
        <Row key={s.id} name={s.name} what="reading" part={s.progress} onCancel={() => void takeAway(s.id)} />
      ))}
    </section>
  );
}

function Row({ name, what, part, onCancel }: { name: string; what: string; part: number; onCancel: () => void }) {
  return (
    <div>
      <div className="flex items-center gap-2">
        <span className="min-w-0 flex-1 truncate">{name}</span>
        <span className="num text-ink-3 text-sm">
          {what} {Math.round(part * 100)} %
        </span>
        <button type="button" aria-label={`Cancel ${name}`} className="rounded-sm p-0.5 hover:bg-weft" onClick={onCancel}>
          <X size={14} />
        </button>
      </div>
      <div className="mt-1 h-1 overflow-hidden rounded-full bg-weft">
        <div className="h-full bg-indigo" style={{ width: `${Math.max(2, part * 100)}%` }} />
      </div>
    </div>
  );
}
