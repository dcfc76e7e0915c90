"use client";
import { applyEdits } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import type { Track } from "@wet-thread/core/model/schema";
import clsx from "clsx";
import { Link2, Plus, Unlink2 } from "lucide-react";
import { type PointerEvent as ReactPointerEvent, useEffect, useRef, useState } from "react";
import { runCommand } from "@/commands/commands";
import { chosenTracks } from "@/commands/edit/track-commands";
import { headItems } from "@/commands/menus/menus";
import { recorder } from "@/engine/recorder";
import { useRecorder } from "@/state/kept/recording";
import { useSettings } from "@/state/kept/settings";
import { session, useSession } from "@/state/sync/session";
import { setView, useView, view } from "@/state/view/view";
import { HEAD_WIDTH, HEIGHTS, type LaneBox, laneBoxes } from "@/timeline/model/geometry";
import { clearPreview, setPreview, usePreview } from "@/timeline/model/preview";
import { alongStroke } from "@/timeline/model/stroke";
import { Slider } from "@/ui/controls";
import { Menu } from "@/ui/menu";
import { NameField } from "@/ui/NameField";
import { InputLevel } from "../recording/InputLevel";
import { RulerLabels } from "../rulers/RulerLabels";
import { LevelBar } from "./LevelBar";

/** Pixels that a press on a head may wander before it drags the track. */
const DRAG_PIXELS = 5;

/** Heads this near to what is in view are in the page too; before the lanes know their height, so much is taken to be in view. */
const SPARE = 80;
const FIRST_HEIGHT = 700;

type Switch = "mute" | "solo" | "arm";

/** Buttons that a pointer went over while it was down: all are set as the first. */
interface Sweep {
  /** Where it was pressed, on the screen. */
  readonly from: { readonly x: number; readonly y: number };
  readonly what: Switch;
  readonly value: boolean;
  readonly ids: ReadonlySet<string>;
}

export function TrackHeads() {
  const kept = useSession((s) => s.doc);
  const drafted = usePreview((p) => p.doc);
  const doc = drafted && drafted.tracks !== kept.tracks ? drafted : kept;
  const scrollY = useView((v) => v.scrollY);
  // A close-up lends heights to lanes and heads alike.
  useView((v) => v.tall);
  const height = useView((v) => v.height);
  const chosen = useView((v) => v.trackId);
  const together = useView((v) => v.trackIds);
  const [sweep, setSweep] = useState<Sweep | null>(null);
  const [goesTo, setGoesTo] = useState<number | null>(null);
  const menuFor = useRef<string | null>(null);
  const boxes = laneBoxes(doc);
  const below = boxes.at(-1);
  /** The same at once: a pointer that is let go may not wait for the next drawing. */
  const swept = useRef<Sweep | null>(null);
  const take = (now: Sweep | null): void => {
    swept.current = now;
    setSweep(now);
  };
  const sweeping = sweep !== null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is swept is asked of the ref
  useEffect(() => {
    if (!sweeping) return;
    // What lies under the pointer is asked for: a finger's stays with the switch that it was put on.
    let last = swept.current?.from;
    const over = (e: PointerEvent): void => {
      const now = swept.current;
      const here = { x: e.clientX, y: e.clientY };
      const ids = new Set(now?.ids);
      for (const { x, y } of alongStroke(last ?? here, here)) {
        const under = document.elementFromPoint(x, y)?.closest(`[data-switch="${now?.what}"]`);
        const id = under?.closest<HTMLElement>("[data-track]")?.dataset.track;
        if (id) ids.add(id);
      }
      last = here;
      if (now && ids.size > now.ids.size) take({ ...now, ids });
    };
    const done = (): void => {
      const now = swept.current;
      take(null);
      if (!now) return;
      if (now.what === "arm") recorder().arm([...now.ids], now.value);
      else session().edit([{ type: "set-track", trackIds: [...now.ids], [now.what]: now.value }]);
    };
    const off = (): void => take(null);
    window.addEventListener("pointermove", over);
    window.addEventListener("pointerup", done);
    window.addEventListener("pointercancel", off);
    return () => {
      window.removeEventListener("pointermove", over);
      window.removeEventListener("pointerup", done);
      window.removeEventListener("pointercancel", off);
    };
  }, [sweeping]);
  return (
    <aside aria-label="Tracks" className="flex shrink-0 flex-col" style={{ width: HEAD_WIDTH }}>
      <RulerLabels />
      <Menu
        items={() =>
          menuFor.current ? headItems(menuFor.current) : [{ label: "Add a track", run: () => void session().edit([{ type: "add-track" }]) }]
        }
        onOpen={(target) => {
          menuFor.current = target.closest<HTMLElement>("[data-track]")?.dataset.track ?? null;
        }}
      >
        <div className="relative min-h-0 flex-1 overflow-hidden" data-heads>
          {boxes
            .filter((box) => box.top + box.height > scrollY - SPARE && box.top < scrollY + (height || FIRST_HEIGHT) + SPARE)
            .map((box) => (
              <div key={box.trackId} data-track={box.trackId} className="absolute inset-x-0" style={{ top: box.top - scrollY, height: box.height }}>
                <Head
                  track={box.track}
                  chosen={chosen === box.trackId || together.has(box.trackId)}
                  height={box.height}
                  mono={monoOf(doc, box.trackId)}
                  sweep={sweep}
                  onSweep={take}
                  onGrip={(e) => dragHead(e, box, setGoesTo)}
                />
                <HeightGrip box={box} />
              </div>
            ))}
          {goesTo !== null && (
            <div
              className="pointer-events-none absolute inset-x-0 z-10 -mt-[1.5px] h-[3px] bg-weld"
              style={{ top: lineTop(boxes, goesTo) - scrollY }}
            />
          )}
          <div className="absolute inset-x-0 p-2.5" style={{ top: (below ? below.top + below.height : 0) - scrollY }}>
            <button
              type="button"
              className="flex h-8 w-full items-center gap-2 rounded-md px-2 text-ink-2 hover:bg-weft"
              onClick={() => session().edit([{ type: "add-track" }])}
            >
              <Plus size={15} aria-hidden /> Add track
            </button>
          </div>
        </div>
      </Menu>
    </aside>
  );
}

/**
 * Chooses tracks by a press on a head: alone, with Ctrl in or out of those that are chosen, with Shift up to it, and by a drag along the
 * strips of colour all that it goes over. True where the press is used up by that.
 */
function choose(trackId: string, e: ReactPointerEvent): boolean {
  const boxes = laneBoxes(session().doc);
  const now = new Set(chosenTracks());
  const between = (a: string, b: string): string[] => {
    const [i, j] = [a, b].map((id) => boxes.findIndex((box) => box.trackId === id));
    return boxes.slice(Math.min(i, j), Math.max(i, j) + 1).map((box) => box.trackId);
  };
  const several = (ids: Iterable<string>, main: string): void => {
    const set = new Set(ids);
    setView({ trackIds: set.size > 1 ? set : new Set(), trackId: set.has(main) ? main : ([...set][0] ?? null) });
  };
  if (e.shiftKey) {
    several(between(view().trackId ?? trackId, trackId), view().trackId ?? trackId);
    return true;
  }
  if (e.ctrlKey || e.metaKey) {
    if (now.has(trackId)) now.delete(trackId);
    else now.add(trackId);
    several(now, trackId);
    return true;
  }
  if ((e.target as HTMLElement).closest("[data-sweep]")) {
    several([trackId], trackId);
    const area = (e.currentTarget as HTMLElement).closest("[data-heads]");
    follow(
      (m) => {
        const y = m.clientY - (area?.getBoundingClientRect().top ?? 0) + view().scrollY;
        const over = boxes.find((box) => y >= box.top && y < box.top + box.height) ?? (y < 0 ? boxes[0] : boxes.at(-1));
        if (over) several(between(trackId, over.trackId), trackId);
      },
      () => {},
    );
    return true;
  }
  // What is done to one of several that are chosen is for all of them.
  if (!now.has(trackId) || now.size === 1) setView({ trackId, trackIds: new Set() });
  else setView({ trackId });
  return false;
}

const lineTop = (boxes: readonly LaneBox[], place: number): number => boxes[place]?.top ?? (boxes.at(-1)?.top ?? 0) + (boxes.at(-1)?.height ?? 0);

/** Follows a press until it is let go of or called off by Escape. */
function follow(onMove: (e: PointerEvent) => void, onEnd: (kept: boolean) => void): void {
  const end = (kept: boolean) => (): void => {
    window.removeEventListener("pointermove", onMove);
    window.removeEventListener("pointerup", keep);
    window.removeEventListener("pointercancel", drop);
    window.removeEventListener("keydown", callOff, true);
    onEnd(kept);
  };
  const keep = end(true);
  const drop = end(false);
  const callOff = (e: KeyboardEvent): void => {
    if (e.key !== "Escape") return;
    e.stopPropagation();
    drop();
  };
  window.addEventListener("pointermove", onMove);
  window.addEventListener("pointerup", keep);
  window.addEventListener("pointercancel", drop);
  window.addEventListener("keydown", callOff, true);
}

/** Drags a track to another place in the order; a line shows where it will go. */
function dragHead(e: ReactPointerEvent, box: LaneBox, show: (place: number | null) => void): void {
  if (e.button !== 0) return;
  const [y0, boxes] = [e.clientY, laneBoxes(session().doc)];
  const from = boxes.findIndex((b) => b.trackId === box.trackId);
  let place: number | null = null;
  follow(
    (m) => {
      const by = m.clientY - y0;
      if (place === null && Math.abs(by) < DRAG_PIXELS) return;
      const at = box.top + box.height / 2 + by;
      place = boxes.filter((b) => b.top + b.height / 2 < at).length;
      show(place);
    },
    (kept) => {
      show(null);
      const ids = chosenTracks().includes(box.trackId) ? chosenTracks() : [box.trackId];
      if (!kept || place === null || (ids.length === 1 && (place === from || place === from + 1))) {
        if (!kept || place !== null) return;
        // A click on one of several chooses it alone.
        return setView({ trackId: box.trackId, trackIds: new Set() });
      }
      // Hidden tracks keep their places: the order is counted with them.
      const order = session().doc.piece.trackOrder.filter((id) => !ids.includes(id));
      const before = boxes.slice(place).find((b) => !ids.includes(b.trackId))?.trackId;
      const at = before ? order.indexOf(before) : order.length;
      // Behind all others first, so that the places in between stay what they are.
      const last = session().doc.piece.trackOrder.length;
      const out = ids.length > 1 ? ids.map((trackId) => ({ type: "move-track", trackId, index: last })) : [];
      const edits = [...out, ...ids.map((trackId, i) => ({ type: "move-track", trackId, index: at + i }))];
      session().edit(edits, ids.length > 1 ? `Move ${ids.length} tracks` : undefined);
    },
  );
}

/** The lower edge of a head: drag it for the track's height, with Alt for the height of all. */
function HeightGrip({ box }: { box: LaneBox }) {
  const down = (e: ReactPointerEvent): void => {
    if (e.button !== 0) return;
    e.stopPropagation();
    e.preventDefault();
    const y0 = e.clientY;
    let edit: { type: string; trackIds: string[]; height: number } | null = null;
    follow(
      (m) => {
        const height = Math.round(Math.max(HEIGHTS.least, Math.min(HEIGHTS.most, box.height + m.clientY - y0)));
        const trackIds = m.altKey ? [...session().doc.piece.trackOrder] : [box.trackId];
        edit = { type: "set-track", trackIds, height };
        setPreview({ doc: applyEdits(session().doc, [edit]).doc });
      },
      (kept) => {
        clearPreview();
        if (kept && edit) session().edit([edit], edit.trackIds.length > 1 ? "Height of all tracks" : `Height of ${box.track.name}`);
      },
    );
  };
  return (
    <div
      className="absolute inset-x-0 -bottom-[3px] z-10 h-[6px] cursor-ns-resize touch-none"
      data-testid={`height-${box.track.name}`}
      onPointerDown={down}
    />
  );
}

function monoOf(doc: Document, trackId: string): string {
  const first = doc.lanes.get(trackId)?.clips[0];
  const channels = first && doc.sources.get(first.sourceId)?.channels;
  return channels === 1 ? "mono" : channels === 2 ? "stereo" : channels ? `${channels} channels` : "";
}

const SWITCH_NAMES: Readonly<Record<Switch, string>> = { mute: "Mute", solo: "Solo", arm: "Arm" };

interface HeadProps {
  track: Track;
  chosen: boolean;
  height: number;
  mono: string;
  sweep: Sweep | null;
  onSweep: (sweep: Sweep) => void;
  onGrip: (e: ReactPointerEvent) => void;
}

function Head({ track, chosen, height, mono, sweep, onSweep, onGrip }: HeadProps) {
  const linksOn = useSettings((s) => s.linksOn);
  const set = (change: Record<string, unknown>): void => void session().edit([{ type: "set-track", trackIds: [track.id], ...change }]);
  const low = height < 70;
  const armed = useRecorder((r) => r.armed.has(track.id));
  const isOn = (what: Switch): boolean => (what === "arm" ? armed : track[what]);
  const toggle = (what: Switch, letter: string, color: string) => (
    <Toggle
      on={sweep?.what === what && sweep.ids.has(track.id) ? sweep.value : isOn(what)}
      label={`${SWITCH_NAMES[what]} ${track.name}`}
      letter={letter}
      color={color}
      onClick={() => (what === "arm" ? recorder().arm([track.id], !armed) : set({ [what]: !track[what] }))}
      onPress={(from) => onSweep({ from, what, value: !isOn(what), ids: new Set([track.id]) })}
      what={what}
    />
  );
  return (
    <div
      className={clsx("flex h-full touch-none border-line border-b", chosen && "bg-raised")}
      onPointerDown={(e) => {
        if (e.button === 0 && choose(track.id, e)) return;
        if (!(e.target as HTMLElement).closest("input,button:not([data-grip]),[role=slider],[data-slider]")) onGrip(e);
      }}
    >
      <span
        className="w-[7px] shrink-0 cursor-pointer touch-none"
        title="Drag over heads to choose several"
        data-sweep
        style={{ background: `var(--${track.color})` }}
      />
      <div className={clsx("flex min-w-0 flex-1 flex-col px-2.5", height < 44 ? "gap-0 py-0" : low ? "gap-0.5 py-1" : "gap-1 py-1.5")}>
        <div className="flex items-baseline gap-1.5">
          <HeadName track={track} />
          {track.link ? (
            <button
              type="button"
              className={clsx("flex shrink-0 items-center gap-1 rounded-sm text-xs hover:bg-weft", linksOn ? "text-ink-2" : "bg-weld/25 text-ink")}
              title={
                linksOn ? `Linked as “${track.link}”: edited together. Click to suspend.` : "The link is suspended. Click to resume; nothing moves."
              }
              onClick={() => runCommand("links")}
            >
              {linksOn ? <Link2 size={11} aria-hidden /> : <Unlink2 size={11} aria-hidden />}
              {linksOn ? "linked" : "alone"}
            </button>
          ) : (
            <span className="shrink-0 text-ink-2 text-xs">{mono}</span>
          )}
        </div>
        <div className="flex items-center gap-1.5">
          {toggle("mute", "M", "weld")}
          {toggle("solo", "S", "fern")}
          {toggle("arm", "●", "madder")}
          <span data-slider className="ml-1 flex-1">
            <Slider
              label={`Gain of ${track.name} in dB`}
              min={-48}
              max={12}
              step={0.5}
              value={Math.max(-48, track.gain)}
              onCommit={(v) => set({ gain: v <= -48 ? -144 : v })}
            />
          </span>
        </div>
        {armed ? (
          <InputLevel trackId={track.id} name={track.name} />
        ) : (
          !low && <LevelBar level={(m) => m.tracks[track.id] ?? 0} color={`var(--${track.color})`} />
        )}
      </div>
    </div>
  );
}

/** The name of a track: typed anew after a double click, Enter on it, or by the command. Escape leaves it as it was. */
function HeadName({ track }: { track: Track }) {
  const naming = useView((v) => v.naming === track.id);
  if (!naming)
    return (
      <button
        type="button"
        aria-label={`Name of track ${track.name}`}
        title="Double-click to type another name"
        className="w-full min-w-0 truncate rounded-sm text-left font-semibold"
        data-grip
        onDoubleClick={() => setView({ naming: track.id })}
        onClick={(e) => e.detail === 0 && setView({ naming: track.id })}
      >
        {track.name}
      </button>
    );
  return (
    <NameField
      label={`Name of track ${track.name}`}
      value={track.name}
      className="w-full min-w-0 truncate rounded-sm bg-raised font-semibold outline-none"
      size={8}
      onDone={(name) => {
        if (name) session().edit([{ type: "rename-track", trackId: track.id, name }]);
        setView({ naming: null });
      }}
    />
  );
}

interface ToggleProps {
  on: boolean;
  label: string;
  letter: string;
  color: string;
  onClick: () => void;
  onPress: (at: Sweep["from"]) => void;
  what: Sweep["what"];
}

/** A switch of a head. Pressed and dragged it sets those of the other tracks that the pointer goes over, all in one step. */
function Toggle({ on, label, letter, color, onClick, onPress, what }: ToggleProps) {
  return (
    <button
      type="button"
      aria-label={label}
      aria-pressed={on}
      // The pointer works it by press and sweep; the keyboard clicks without a press.
      onClick={(e) => e.detail === 0 && onClick()}
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        e.currentTarget.releasePointerCapture(e.pointerId);
        onPress({ x: e.clientX, y: e.clientY });
      }}
      data-switch={what}
      className="num grid h-[18px] w-[20px] shrink-0 touch-none place-items-center rounded-sm border border-line bg-raised font-semibold text-ink-2 text-xs underline-offset-2 aria-pressed:font-bold aria-pressed:underline"
      style={
        on ? { background: `color-mix(in srgb, var(--${color}) 38%, var(--raised))`, borderColor: `var(--${color})`, color: "var(--ink)" } : undefined
      }
    >
      {letter}
    </button>
  );
}
