"use client";
import type { Edit } from "@wet-thread/core/edit/registry";
import { hitsBetween } from "@wet-thread/core/model/clip/hits";
import type { KeptPart } from "@wet-thread/core/model/clip/kept-part";
import { playedPlace } from "@wet-thread/core/model/recipe/played-recording";
import { clipEnd } from "@wet-thread/core/model/schema";
import { formatClock } from "@wet-thread/core/time/format";
import { Play, Plus, Square, Upload, X } from "lucide-react";
import { useState } from "react";
import { answerSource, chooseFiles, layOut } from "@/commands/files/import-files";
import { removePart, renamePart, useNaming } from "@/commands/files/kept-parts";
import { sourcePreview, useSourcePreview } from "@/engine/source-preview";
import { useRecorder } from "@/state/kept/recording";
import { setSettings } from "@/state/kept/settings";
import { ask, ServerError, type SourceRow } from "@/state/sync/api";
import { session, useSession } from "@/state/sync/session";
import { selectClips, useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { partLayable } from "@/timeline/gestures/lay-gesture";
import { Button } from "@/ui/controls";
import { NameField } from "@/ui/NameField";
import { SearchField } from "@/ui/SearchField";
import { dragToLanes } from "./drag-to-lanes";
import { Empty } from "./parts";
import { SourceThumb } from "./SourceThumb";

const times = (n: number): string => (n === 0 ? "not used" : n === 1 ? "used once" : `used ${n} ×`);
const channelWords = (n: number): string => (n === 1 ? "mono" : n === 2 ? "stereo" : `${n} ch.`);

/** Every recording of the project: found, heard, laid down, and taken away when nothing uses it. */
export function SourcesTab() {
  const rows = useSession((s) => s.sources);
  const clips = useSession((s) => s.doc.clips);
  const bundles = useSession((s) => s.doc.bundles);
  const [wanted, setWanted] = useState("");
  const used = new Map<string, number>();
  for (const clip of clips.values()) used.set(clip.sourceId, (used.get(clip.sourceId) ?? 0) + 1);
  // What lies in the lanes of take stacks is used, whether it is picked or not.
  for (const { takes } of bundles.values())
    for (const lane of takes ?? []) for (const clip of lane.clips) if (!used.has(clip.sourceId)) used.set(clip.sourceId, 1);
  // One that was removed while unused is back as soon as an undo brings back a clip of it.
  const sources = [...rows.values()].filter((s) => s.removedAt === null || used.has(s.id) || s.parts.length > 0);
  const called = (name: string): boolean => name.toLowerCase().includes(wanted.trim().toLowerCase());
  const found = sources.filter((s) => called(s.name) || s.parts.some((p) => called(p.name)));
  const unused = sources.filter((s) => ["ready", "failed", "asking"].includes(s.status) && !used.has(s.id) && s.parts.length === 0).length;
  return (
    <div>
      <Button className="w-full" onClick={chooseFiles}>
        <Upload size={15} aria-hidden /> Import recordings
      </Button>
      {sources.length === 0 ? (
        <Empty title="No recordings yet">Drop sound files or folders anywhere in the window, or import them here.</Empty>
      ) : (
        <div className="mt-2.5">
          <SearchField label="Find a recording" value={wanted} onChange={setWanted} />
        </div>
      )}
      {sources.length > 0 && found.length === 0 && <Empty title="Nothing found">No recording is called that.</Empty>}
      <UnderWay />
      <ul className="mt-3 space-y-3" aria-label="Recordings">
        {found.map((s) => (
          <Source key={s.id} source={s} used={used.get(s.id) ?? 0} />
        ))}
      </ul>
      {unused > 0 && (
        <Button look="quiet" className="mt-3 w-full text-ink-2" onClick={() => void removeUnused()}>
          Remove {unused === 1 ? "the one that is" : `the ${unused} that are`} not used
        </Button>
      )}
    </div>
  );
}

/** What is being recorded by this page: it lies in the list when it has ended. */
function UnderWay() {
  const { phase, tracks, taken } = useRecorder();
  const all = useSession((s) => s.doc.tracks);
  const rate = useSession((s) => s.doc.sampleRate);
  if (phase === "off") return null;
  const words = phase === "on" ? formatClock(taken, rate, 1) : phase === "starting" || phase === "counting" ? "about to begin" : "being taken in";
  return (
    <ul className="mt-3 space-y-1" aria-label="Being recorded">
      {tracks.map((id) => (
        <li key={id} className="flex items-center gap-2">
          <span aria-hidden className="size-2 shrink-0 rounded-full bg-madder" />
          <span className="min-w-0 flex-1 truncate font-medium">{all.get(id)?.name}</span>
          <span className="num text-ink-2 text-xs">{words}</span>
        </li>
      ))}
    </ul>
  );
}

function Source({ source, used }: { source: SourceRow; used: number }) {
  const trackId = useView((v) => v.trackId);
  const hearing = useSourcePreview((p) => p.sourceId === source.id && p.partId === null);
  const ready = source.status === "ready";
  return (
    <li>
      <div className="flex items-center gap-1">
        <p className="min-w-0 flex-1 truncate font-medium" title={source.name}>
          {source.name}
        </p>
        {ready && (
          <>
            <Button
              look="quiet"
              aria-label={hearing ? `Stop ${source.name}` : `Hear ${source.name}`}
              title={hearing ? "Stop" : "Hear it by itself"}
              className="!h-6 !px-1"
              onClick={() => (hearing ? sourcePreview().stop() : sourcePreview().hear(source.id, 0))}
            >
              {hearing ? <Square size={13} /> : <Play size={13} />}
            </Button>
            <Button
              look="quiet"
              aria-label={`Lay ${source.name} at the playhead`}
              title="Lay it at the playhead, on the chosen track or a new one"
              className="!h-6 !px-1"
              onClick={() => layOut(source, trackId, view().playhead)}
            >
              <Plus size={15} />
            </Button>
          </>
        )}
      </div>
      {ready && <SourceThumb source={source} used={used > 0} />}
      <p className="num mt-1 flex gap-1.5 whitespace-nowrap text-ink-2 text-xs">
        {ready ? (
          <>
            <span>{formatClock(source.length, source.sampleRate, 1)}</span>
            <span>{source.originalRate / 1000} kHz</span>
            <span>{channelWords(source.channels)}</span>
            <span>{source.transients.length === 1 ? "1 hit" : `${source.transients.length} hits`}</span>
            {used > 0 ? (
              <button type="button" className="ml-auto underline decoration-dotted" title="Select its clips" onClick={() => selectUses(source.id)}>
                {times(used)}
              </button>
            ) : (
              <span className="ml-auto">{times(0)}</span>
            )}
          </>
        ) : source.status === "asking" ? (
          <span className="whitespace-normal">
            {source.asking?.message}
            <span className="mt-1.5 flex gap-1.5">
              <Button className="!h-7 flex-1" onClick={() => void answerSource(source.id, true)}>
                Keep what is there
              </Button>
              <Button className="!h-7" onClick={() => void answerSource(source.id, false)}>
                Remove
              </Button>
            </span>
          </span>
        ) : source.status === "failed" ? (
          <span className="whitespace-normal text-madder">{source.error}</span>
        ) : (
          <span>reading {Math.round(source.progress * 100)} %</span>
        )}
      </p>
      {ready && <Told source={source} />}
      {source.parts.length > 0 && (
        <ul className="mt-1.5 space-y-0.5 border-line border-l pl-2" aria-label={`Parts of ${source.name}`}>
          {source.parts.map((part) => (
            <Part key={part.id} sourceId={source.id} part={part} rate={source.sampleRate} />
          ))}
        </ul>
      )}
    </li>
  );
}

/** A part that is kept under a name: heard, laid by a press or by dragging its name to the lanes, named, and kept no longer. */
function Part({ sourceId, part, rate }: { sourceId: string; part: KeptPart; rate: number }) {
  const trackId = useView((v) => v.trackId);
  const naming = useNaming((n) => n.partId === part.id);
  const hearing = useSourcePreview((p) => p.partId === part.id);
  const tool = "rounded-sm p-0.5 text-ink-2 hover:bg-weft hover:text-ink";
  return (
    <li className="group flex h-6 items-center gap-1">
      {naming ? (
        <NameField
          label={`Name of ${part.name}`}
          value={part.name}
          className="h-5 min-w-0 flex-1 rounded-sm border border-ink-2 bg-raised px-1 outline-none"
          onDone={(name) => renamePart(sourceId, part, name)}
        />
      ) : (
        <button
          type="button"
          className="min-w-0 flex-1 cursor-grab touch-none truncate text-left"
          title={`${part.name} · drag to the lanes to lay it there · double-click to name it`}
          onPointerDown={(e) => dragToLanes(e, partLayable(sourceId, part), () => {})}
          onDoubleClick={() => useNaming.setState({ partId: part.id })}
          onClick={(e) => e.detail === 0 && useNaming.setState({ partId: part.id })}
        >
          {part.name}
        </button>
      )}
      <span className="num text-ink-2 text-xs">{formatClock(part.length, rate, 1)}</span>
      <button
        type="button"
        className={tool}
        aria-label={hearing ? `Stop ${part.name}` : `Hear ${part.name}`}
        title={hearing ? "Stop" : "Hear it by itself"}
        onClick={() => (hearing ? sourcePreview().stop() : sourcePreview().hear(sourceId, 0, part))}
      >
        {hearing ? <Square size={12} /> : <Play size={12} />}
      </button>
      <button
        type="button"
        className={tool}
        aria-label={`Lay ${part.name} at the playhead`}
        title="Lay it at the playhead, on the chosen track or a new one"
        onClick={() => layOut(partLayable(sourceId, part), trackId, view().playhead)}
      >
        <Plus size={14} />
      </button>
      <button
        type="button"
        className={tool}
        aria-label={`Keep ${part.name} no longer`}
        title="Keep it no longer; clips of it stay"
        onClick={() => void removePart(sourceId, part)}
      >
        <X size={13} />
      </button>
    </li>
  );
}

/** What the file tells beside its samples, and what should be known of how it was read. */
function Told({ source }: { source: SourceRow }) {
  const { marks, loops, timeReference, title, scene, take, notes, sampleRate } = source;
  const words = [title && title !== source.name && title, scene && `scene ${scene}`, take && `take ${take}`].filter(Boolean).join(" · ");
  const uses = useSession((s) => s.doc.clips);
  const own = [...uses.values()].find((c) => c.sourceId === source.id && !c.recipe);
  if (!words && notes.length === 0 && marks.length + loops.length === 0 && timeReference === null) return null;
  const small = "rounded-sm border border-line px-1.5 py-0.5 hover:border-ink-3";
  return (
    <div className="mt-1 space-y-1 text-ink-2 text-xs">
      {words && <p className="truncate">{words}</p>}
      {notes.map((n) => (
        <p key={n}>{n}</p>
      ))}
      <p className="flex flex-wrap gap-1.5">
        {timeReference !== null && (
          <button
            type="button"
            className={small}
            title={`At its own time, ${formatClock(timeReference, sampleRate, 3)}`}
            onClick={() => layOut(source, null, timeReference)}
          >
            Lay at {formatClock(timeReference, sampleRate, 0)}
          </button>
        )}
        {marks.length > 0 && own && (
          <button
            type="button"
            className={small}
            title="Its marks become markers of the piece, where its first clip has them"
            onClick={() =>
              session().edit(
                marks
                  .filter((m) => m.position >= own.offset && m.position <= own.offset + own.length)
                  .map((m) => ({ type: "add-marker", position: own.start + m.position - own.offset, name: m.name || source.name })),
                `Markers of ${source.name}`,
              )
            }
          >
            {marks.length === 1 ? "1 mark" : `${marks.length} marks`} as markers
          </button>
        )}
        {marks.length > 0 && own && (
          <button type="button" className={small} title="Its marks become hits of every clip that plays them" onClick={() => marksAsHits(source)}>
            as hits
          </button>
        )}
        {marks.length > 0 && !own && <span>{marks.length === 1 ? "1 mark" : `${marks.length} marks`}</span>}
        {loops.length > 0 && <span>{loops.length === 1 ? "1 loop" : `${loops.length} loops`}</span>}
      </p>
    </div>
  );
}

/** The marks that the file of a recording tells, as hits of the clips that play them, at their places in what those play. */
function marksAsHits({ id, name, marks }: SourceRow): void {
  const { doc } = session();
  const info = doc.sources.get(id);
  const edits = [...doc.clips.values()].flatMap((clip): Edit[] => {
    if (!info || clip.sourceId !== id) return [];
    const at = marks.map((m) => clip.start - clip.offset + playedPlace(info, clip, m.position)).filter((p) => p >= clip.start && p < clipEnd(clip));
    const there = new Set(hitsBetween(doc.sources, clip, clip.start, clipEnd(clip)));
    const more = at.filter((p) => !there.has(p));
    return more.length > 0 ? [{ type: "add-hits", clipIds: [clip.id], at: more, links: false }] : [];
  });
  if (edits.length === 0) return void toast("Its clips have hits there already, or play none of its marks.", { id: "hits" });
  setSettings({ showHits: true });
  session().edit(edits, `Marks of ${name} as hits`);
}

function selectUses(sourceId: string): void {
  const { doc } = session();
  selectClips(
    doc,
    [...doc.clips.values()].filter((c) => c.sourceId === sourceId).map((c) => c.id),
  );
}

/** Takes out of the list what no clip of any version uses. The sound is kept, so that this and every earlier step can be undone. */
async function removeUnused(): Promise<void> {
  const own = session();
  const change = (json: { restore?: string[] }): Promise<{ ids: string[] }> =>
    ask(`/api/projects/${own.store.getState().project.id}/sources/unused`, { json });
  try {
    const { ids } = await change({});
    await own.refreshSources();
    if (ids.length === 0) return void toast("Another version of the piece uses them; nothing was removed.", { id: "unused" });
    toast(
      `${ids.length === 1 ? "1 recording" : `${ids.length} recordings`} removed. Steps that used ${ids.length === 1 ? "it" : "them"} can still be undone.`,
      {
        id: "unused",
        duration: 12_000,
        action: {
          label: "Undo",
          onClick: () =>
            void change({ restore: ids }).then(
              () => session().refreshSources(),
              (error: Error) => toast.error(error.message),
            ),
        },
      },
    );
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(`${error.message} The list is as it was.`);
  }
}
