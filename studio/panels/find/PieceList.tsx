"use client";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import type { Seam } from "@wet-thread/core/seam/seams";
import { formatBars, formatClock, formatLength } from "@wet-thread/core/time/format";
import clsx from "clsx";
import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import { reveal } from "@/commands/edit/actions";
import { session, useSession } from "@/state/sync/session";
import { selectClips, setView, useView, view } from "@/state/view/view";
import { counted } from "@/state/words/counted";
import { laneBoxes } from "@/timeline/model/geometry";
import { pieceNumbers } from "@/timeline/model/piece-numbers";
import { laneSeams, seamClass } from "@/timeline/model/seam-classes";

/** The number of a clip among those of its name on its track; empty where it is the only one. */
function pieceNumber(doc: Document, clip: Clip): string {
  const lane = doc.lanes.get(clip.trackId);
  return String((lane && pieceNumbers(lane).get(clip.id)) ?? "");
}

const ROW = 30;

type Row =
  | { readonly at: number; readonly clip: Clip; readonly seam?: undefined }
  | { readonly at: number; readonly seam: Seam; readonly clip?: undefined };

/** What is on a track in the order of time: its clips, and at each edge the seam. */
function rowsOf(trackId: string): Row[] {
  const { doc } = session();
  const clips: Row[] = (doc.lanes.get(trackId)?.clips ?? []).map((clip) => ({ at: clip.start, clip }));
  const seams: Row[] = laneSeams(doc, trackId).map((seam) => ({ at: seam.position, seam }));
  return [...clips, ...seams].sort((a, b) => a.at - b.at || (a.seam ? -1 : 1));
}

/** The piece in words: its tracks, and the clips and seams of one. What the lanes show to the eye, for the keyboard and a screen reader. */
export function PieceList() {
  const open = useView((v) => v.panel === "list");
  return (
    <Dialog.Root open={open} onOpenChange={(on) => !on && setView({ panel: null })}>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby="piece-list-how"
          className="fixed top-[10vh] left-1/2 z-50 flex h-[76vh] w-[780px] max-w-[94vw] -translate-x-1/2 flex-col overflow-hidden rounded-lg border border-line bg-raised shadow-float outline-none"
        >
          <div className="flex items-center gap-3 border-line border-b px-4 py-2.5">
            <Dialog.Title className="font-semibold text-[15px]">Tracks, clips and seams</Dialog.Title>
            <p id="piece-list-how" className="flex-1 text-ink-2 text-sm">
              ↑ ↓ walk · → to the clips, ← back · Enter selects and shows it
            </p>
            <Dialog.Close aria-label="Close" className="grid size-7 place-items-center rounded-md text-ink-2 hover:bg-weft">
              <X size={15} />
            </Dialog.Close>
          </div>
          {open && <Lists />}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Lists() {
  const doc = useSession((s) => s.doc);
  const boxes = laneBoxes(doc);
  const [trackId, setTrackId] = useState(() => view().trackId ?? boxes[0]?.trackId ?? null);
  const tracks = useRef<HTMLDivElement>(null);
  const items = useRef<HTMLDivElement>(null);
  useEffect(() => tracks.current?.focus(), []);
  const at = boxes.findIndex((b) => b.trackId === trackId);
  const walk = (e: KeyboardEvent): void => {
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: boxes.length - 1 }[e.key];
    if (e.key === "ArrowRight") items.current?.focus();
    else if (e.key === "Enter" && trackId) {
      setView({ trackId, panel: null });
    } else if (to !== undefined && boxes[to]) setTrackId(boxes[to].trackId);
    else return;
    e.preventDefault();
  };
  useEffect(() => {
    if (trackId) document.getElementById(`piece-track-${trackId}`)?.scrollIntoView({ block: "nearest" });
  }, [trackId]);
  return (
    <div className="flex min-h-0 flex-1">
      <div
        ref={tracks}
        role="listbox"
        tabIndex={0}
        aria-label="Tracks"
        aria-activedescendant={trackId ? `piece-track-${trackId}` : undefined}
        onKeyDown={walk}
        className="w-[250px] shrink-0 overflow-y-auto border-line border-r p-1.5 outline-none focus-visible:bg-surface"
      >
        {boxes.map(({ track }) => {
          const lane = doc.lanes.get(track.id)?.clips.length ?? 0;
          const said = [track.mute && "muted", track.solo && "solo"].filter(Boolean).join(", ");
          return (
            // biome-ignore lint/a11y/useKeyWithClickEvents: the list itself takes the keys
            <div
              key={track.id}
              id={`piece-track-${track.id}`}
              role="option"
              tabIndex={-1}
              aria-selected={track.id === trackId}
              onClick={() => setTrackId(track.id)}
              className={clsx("flex items-center gap-2 rounded-sm px-2 py-1.5", track.id === trackId && "bg-weft")}
            >
              <span className="h-4 w-[4px] shrink-0" style={{ background: `var(--${track.color})` }} />
              <span className="min-w-0 flex-1 truncate font-medium">{track.name}</span>
              <span className="num shrink-0 text-ink-2 text-xs">
                {counted(lane, "clip")}
                {said && `, ${said}`}
              </span>
            </div>
          );
        })}
      </div>
      {trackId && <Items key={trackId} trackId={trackId} box={items} onBack={() => tracks.current?.focus()} />}
    </div>
  );
}

function Items({ trackId, box, onBack }: { trackId: string; box: React.RefObject<HTMLDivElement | null>; onBack: () => void }) {
  const doc = useSession((s) => s.doc);
  const rows = rowsOf(trackId);
  const base = timebaseOf(doc);
  const [at, setAt] = useState(() =>
    Math.max(
      0,
      rows.findIndex((r) => (r.clip ? view().clipIds.has(r.clip.id) : r.seam?.id === view().seamId)),
    ),
  );
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => box.current, estimateSize: () => ROW, overscan: 12 });
  useEffect(() => {
    if (rows.length) virtual.scrollToIndex(Math.min(at, rows.length - 1));
  }, [at, rows.length, virtual]);
  const choose = (row: Row | undefined): void => {
    if (!row) return;
    if (row.clip) selectClips(doc, [row.clip.id]);
    else setView({ seamId: row.seam.id, tab: "seam", clipIds: new Set(), range: null });
    setView({ trackId, playhead: row.at, panel: null });
    reveal(row.at);
  };
  const walk = (e: KeyboardEvent): void => {
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 12, PageUp: -12 }[e.key];
    if (step) setAt(Math.max(0, Math.min(rows.length - 1, at + step)));
    else if (e.key === "Home") setAt(0);
    else if (e.key === "End") setAt(rows.length - 1);
    else if (e.key === "ArrowLeft") onBack();
    else if (e.key === "Enter") choose(rows[at]);
    else return;
    e.preventDefault();
  };
  const text = (row: Row): string => {
    const when = `${formatBars(row.at, base)}, ${formatClock(row.at, doc.sampleRate, 2)}`;
    if (row.clip)
      return `Clip ${[row.clip.name, pieceNumber(doc, row.clip)].filter(Boolean).join(" ")}${row.clip.mute ? ", muted" : ""}, at ${when}, ${formatLength(clipEnd(row.clip) - row.clip.start, doc.sampleRate)} long`;
    return `Seam, ${seamClass(doc, row.seam)}, at ${when}`;
  };
  return (
    <div
      ref={box}
      role="listbox"
      tabIndex={0}
      aria-label="Clips and seams of the track"
      aria-activedescendant={rows.length ? `piece-item-${at}` : undefined}
      onKeyDown={walk}
      className="min-w-0 flex-1 overflow-y-auto p-1.5 outline-none focus-visible:bg-surface"
    >
      {rows.length === 0 && <p className="p-4 text-ink-2">Nothing is on this track yet.</p>}
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map(({ index, start }) => {
          const row = rows[index];
          return (
            // biome-ignore lint/a11y/useKeyWithClickEvents: the list itself takes the keys
            <div
              key={index}
              id={`piece-item-${index}`}
              role="option"
              tabIndex={-1}
              aria-selected={index === at}
              aria-setsize={rows.length}
              aria-posinset={index + 1}
              onClick={() => choose(row)}
              className={clsx(
                "num absolute inset-x-0 truncate rounded-sm px-2 leading-[30px] text-sm",
                index === at && "bg-weft",
                row.seam && "pl-6 text-ink-2",
                row.seam && seamClass(doc, row.seam) === "raw" && "!text-madder",
              )}
              style={{ top: start, height: ROW }}
            >
              {text(row)}
            </div>
          );
        })}
      </div>
    </div>
  );
}
