"use client";
import { picksOf } from "@wet-thread/core/edit/takes/lanes";
import type { TakeLane } from "@wet-thread/core/model/schema";
import clsx from "clsx";
import { AlignHorizontalJustifyStart, ArrowLeftRight, Ear, Eye, EyeOff, Star, Trash2, X } from "lucide-react";
import { type KeyboardEvent, type PointerEvent as ReactPointerEvent, useEffect, useMemo, useRef, useState } from "react";
import { runCommand } from "@/commands/commands";
import { nudgeLength } from "@/commands/edit/actions";
import { endLane, hearLane, lineUp, pickLane, reachOf, type Stack, stackMeant, useHeardLane } from "@/commands/edit/takes";
import { filesDropped, importAsTakes } from "@/commands/files/import-files";
import { keyOf } from "@/commands/keys";
import { setSettings } from "@/state/kept/settings";
import { session, useSession } from "@/state/sync/session";
import { useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { HEAD_WIDTH } from "@/timeline/model/geometry";
import { snapped } from "@/timeline/model/snapping";
import { Button, Popover, Swatches } from "@/ui/controls";
import { NameField } from "@/ui/NameField";
import { followPointer } from "@/ui/pointer-drag";
import { LaneWave, type Levels, type Window } from "./LaneWave";

const ROW = 44;
/** Rows that are seen at once. */
const MOST_ROWS = 6;
/** Rows beyond them on both sides that are there too, so that keys find the next one. */
const SPARE_ROWS = 2;
/** A press that goes less far than this is a click. */
const CLICK = 4;
/** Quieter than its surroundings by so much, for so long, is a pause between phrases. */
const PAUSE_PART = 0.08;
const PAUSE_SECONDS = 0.18;

/** The lanes of a take stack, under the timeline and on its scale: swept over to pick, heard by themselves, named, rated, hidden, moved. */
export function TakesPanel() {
  const doc = useSession((s) => s.doc);
  const start = useView((v) => v.start);
  const per = useView((v) => v.samplesPerPixel);
  const width = useView((v) => v.width);
  // What is meant hangs on these.
  useView((v) => v.clipIds);
  useView((v) => v.trackId);
  useView((v) => v.range);
  const meant = stackMeant();
  const [hiddenToo, setHiddenToo] = useState(false);
  const [over, setOver] = useState(false);
  const [first, setFirst] = useState(0);
  // The stack stays while something else is selected for a moment.
  const last = useRef<string | null>(null);
  if (meant) last.current = meant.id;
  const kept = last.current === null ? undefined : doc.bundles.get(last.current);
  const stack = (meant ?? (kept?.takes ? kept : null)) as Stack | null;
  const seen = useMemo<Window>(() => ({ start, per, width }), [start, per, width]);
  useEffect(() => endLane, []);
  if (!stack)
    return (
      <section aria-label="Takes" className="flex shrink-0 items-center gap-3 border-line border-t px-3 py-2 text-ink-2">
        <span className="min-w-0 flex-1">No take stack is selected. Select takes that lie over each other on a track and stack them.</span>
        <Button onClick={() => runCommand("stack")}>Stack the selected clips</Button>
        <Close />
      </section>
    );
  const track = doc.tracks.get(stack.trackId);
  const shown = stack.takes.filter((l) => hiddenToo || !l.hidden);
  const hidden = stack.takes.filter((l) => l.hidden).length;
  return (
    <section
      aria-label="Takes"
      className={clsx("flex shrink-0 flex-col border-t bg-surface", over ? "border-indigo" : "border-line")}
      onDragOver={(e) => {
        if (![...e.dataTransfer.types].includes("Files")) return;
        e.preventDefault();
        e.stopPropagation();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        e.stopPropagation();
        setOver(false);
        const box = e.currentTarget.getBoundingClientRect();
        const wanted = start + Math.max(0, e.clientX - box.left - HEAD_WIDTH) * per;
        const { position } = snapped(doc, { wanted, origin: 0 });
        void filesDropped(e.dataTransfer).then((files) => importAsTakes(files, stack.id, position));
      }}
    >
      <div className="flex h-8 items-center gap-3 px-3 text-sm">
        <h2 className="truncate font-semibold">{stack.name}</h2>
        <span className="truncate text-ink-2">Sweep over a lane to pick; a click picks its phrase; recordings are dropped here as new takes.</span>
        <span className="ml-auto" />
        {hidden > 0 && (
          <button type="button" className="rounded-sm px-1.5 text-ink-2 hover:bg-weft" onClick={() => setHiddenToo(!hiddenToo)}>
            {hiddenToo ? "Hide the hidden" : `${hidden} hidden`}
          </button>
        )}
        <button
          type="button"
          className="rounded-sm px-1.5 hover:bg-weft"
          title="What is picked becomes plain clips"
          onClick={() => runCommand("flatten")}
        >
          Flatten
        </button>
        <button
          type="button"
          className="rounded-sm px-1.5 hover:bg-weft"
          title="Every lane on a track of its own"
          onClick={() => runCommand("open-out")}
        >
          Open out
        </button>
        <Close />
      </div>
      <ul
        className="overflow-y-auto border-line border-t"
        style={{ maxHeight: ROW * MOST_ROWS }}
        aria-label="Lanes"
        onScroll={(e) => setFirst(Math.max(0, Math.floor(e.currentTarget.scrollTop / ROW) - SPARE_ROWS))}
      >
        {/* Only rows near to what is seen are there: of fifty takes most are not. */}
        <div aria-hidden style={{ height: Math.min(first, shown.length) * ROW }} />
        {shown.slice(first, first + MOST_ROWS + 2 * SPARE_ROWS + 1).map((lane) => (
          <Lane key={lane.id} stack={stack} lane={lane} seen={seen} dye={lane.color ?? track?.color ?? "indigo"} />
        ))}
        <div aria-hidden style={{ height: Math.max(0, shown.length - first - MOST_ROWS - 2 * SPARE_ROWS - 1) * ROW }} />
      </ul>
    </section>
  );
}

function Close() {
  return (
    <button
      type="button"
      aria-label="Hide the takes"
      title={`Hide the takes (${keyOf("takes")})`}
      className="rounded-sm p-1 hover:bg-weft"
      onClick={() => setSettings({ takes: false })}
    >
      <X size={15} />
    </button>
  );
}

function Lane({ stack, lane, seen, dye }: { stack: Stack; lane: TakeLane; seen: Window; dye: Parameters<typeof LaneWave>[0]["dye"] }) {
  const doc = useSession((s) => s.doc);
  const range = useView((v) => v.range);
  const hearing = useHeardLane((h) => h.laneId === lane.id);
  const levels = useRef<Levels>(new Float32Array(0));
  const [sweep, setSweep] = useState<readonly [number, number] | null>(null);
  const [naming, setNaming] = useState(false);
  const field = useRef<HTMLDivElement>(null);
  const picked = useMemo(() => {
    const picks = picksOf(doc, stack);
    return picks.flatMap((c, i) => {
      const end = picks[i + 1]?.blend?.with === c.id ? (picks[i + 1].blend?.splice ?? 0) : c.start + c.length;
      return c.take === lane.id ? [[c.blend?.splice ?? c.start, end] as const] : [];
    });
  }, [doc, stack, lane.id]);
  const set = (to: Record<string, unknown>): void => void session().edit([{ type: "set-lane", bundleId: stack.id, laneId: lane.id, ...to }]);
  const move = (by: number): void => void session().edit([{ type: "move-lane", bundleId: stack.id, laneId: lane.id, by: Math.round(by) }]);
  const atX = (clientX: number): number => {
    const box = field.current?.getBoundingClientRect();
    const wanted = seen.start + (clientX - (box?.left ?? 0)) * seen.per;
    const beside = lane.clips.map((c) => ({ ...c, start: stack.start + c.at }));
    return snapped(doc, { wanted: Math.max(0, wanted), origin: 0, beside }).position;
  };
  const press = (e: ReactPointerEvent<HTMLDivElement>): void => {
    if (e.button !== 0) return;
    const [x0, from] = [e.clientX, atX(e.clientX)];
    const span = (x: number): readonly [number, number] => {
      const to = atX(x);
      return to < from ? [to, from] : [from, to];
    };
    followPointer(e.currentTarget, e.pointerId, {
      move: (m) => setSweep(Math.abs(m.clientX - x0) < CLICK ? null : span(m.clientX)),
      drop: (m) => {
        setSweep(null);
        const [a, b] = Math.abs(m.clientX - x0) < CLICK ? phraseAt(x0) : span(m.clientX);
        if (b > a) pickLane(stack, lane, a, b);
      },
      cancel: () => setSweep(null),
    });
  };
  /** The phrase around a place: up to the nearest pauses on both sides, as far as they are seen. */
  const phraseAt = (clientX: number): readonly [number, number] => {
    const left = field.current?.getBoundingClientRect().left ?? 0;
    const x = Math.round(clientX - left);
    const level = levels.current;
    const clip = lane.clips.find((c) => {
      const at = seen.start + x * seen.per - stack.start;
      return at >= c.at && at < c.at + c.length;
    });
    if (!clip) {
      toast(`${lane.name} has no sound there.`, { id: "takes" });
      return [0, 0];
    }
    const loud = level.reduce((most, v) => (Number.isNaN(v) ? most : Math.max(most, v)), 0);
    const quiet = (i: number): boolean => !(level[i] > loud * PAUSE_PART);
    const long = Math.max(1, Math.round((PAUSE_SECONDS * doc.sampleRate) / seen.per));
    const reach = (direction: 1 | -1): number => {
      let run = 0;
      for (let i = x; i >= 0 && i < level.length; i += direction) {
        run = quiet(i) ? run + 1 : 0;
        if (run >= long) return i - direction * Math.floor(run / 2);
      }
      return direction > 0 ? level.length : 0;
    };
    const [from, to] = [seen.start + reach(-1) * seen.per, seen.start + reach(1) * seen.per];
    return [Math.max(from, stack.start + clip.at), Math.min(to, stack.start + clip.at + clip.length)];
  };
  const drag = (e: ReactPointerEvent<HTMLButtonElement>): void => {
    const x0 = e.clientX;
    followPointer(e.currentTarget, e.pointerId, {
      move: () => {},
      drop: (m) => {
        const by = (m.clientX - x0) * seen.per;
        if (Math.abs(m.clientX - x0) >= CLICK) move(by);
      },
    });
  };
  const key = (e: KeyboardEvent<HTMLLIElement>): void => {
    if (e.target !== e.currentTarget) return;
    const rows = [...(e.currentTarget.parentElement?.children ?? [])] as HTMLElement[];
    const own = rows.indexOf(e.currentTarget);
    const did = (): void => {
      e.preventDefault();
      e.stopPropagation();
    };
    if (e.key === "ArrowDown" || e.key === "ArrowUp") {
      did();
      rows[own + (e.key === "ArrowDown" ? 1 : -1)]?.focus();
    } else if (e.key === "Enter") {
      did();
      const reach = reachOf(stack);
      const now = picksOf(doc, stack).find((c) => c.start <= view().playhead && c.start + c.length > view().playhead);
      const [a, b] = range ? [range.start, range.end] : now ? [now.blend?.splice ?? now.start, now.start + now.length] : [reach.start, reach.end];
      pickLane(stack, lane, a, b);
    } else if (/^[0-5]$/.test(e.key)) {
      did();
      set({ rating: Number(e.key) });
    } else if (e.key === "h" || e.key === "H") {
      did();
      hearLane(stack, lane);
    } else if (e.key === "," || e.key === ".") {
      did();
      move((e.key === "." ? 1 : -1) * nudgeLength());
    }
  };
  const x = (at: number): number => (at - seen.start) / seen.per;
  const tool = "rounded-sm p-0.5 text-ink-3 hover:bg-weft hover:text-ink";
  return (
    <li
      aria-label={`Take ${lane.name}, rated ${lane.rating}`}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: keys pick, rate and hear the lane
      tabIndex={0}
      className={clsx("flex border-weft border-b outline-none focus-visible:bg-weft", lane.hidden && "opacity-50")}
      style={{ height: ROW }}
      onKeyDown={key}
    >
      <div className="flex shrink-0 flex-col justify-center gap-0.5 px-2" style={{ width: HEAD_WIDTH }}>
        <div className="flex items-center gap-1">
          <Popover
            width={236}
            trigger={
              <button
                type="button"
                aria-label={`Colour of ${lane.name}`}
                className="size-3 shrink-0 rounded-full border border-line"
                style={{ background: `var(--${dye})` }}
              />
            }
          >
            <Swatches value={lane.color} onChange={(color) => set({ color })} />
          </Popover>
          {naming ? (
            <NameField
              label="Name of the take"
              value={lane.name}
              className="h-5 min-w-0 flex-1 rounded-sm border border-ink-2 bg-raised px-1 outline-none"
              onDone={(name) => {
                setNaming(false);
                if (name) set({ name });
              }}
            />
          ) : (
            <button type="button" className="min-w-0 flex-1 truncate text-left font-medium" title="Rename" onClick={() => setNaming(true)}>
              {lane.name || "Take"}
            </button>
          )}
          <button
            type="button"
            className={clsx(tool, hearing && "!text-madder")}
            aria-label={`Hear ${lane.name} by itself`}
            aria-pressed={hearing}
            title="Hear it by itself, at its place, round and round (H)"
            onClick={() => hearLane(stack, lane)}
          >
            <Ear size={14} />
          </button>
        </div>
        <div className="flex items-center gap-1">
          <fieldset className="flex" aria-label="Rating">
            {[1, 2, 3, 4, 5].map((n) => (
              <button
                key={n}
                type="button"
                aria-label={`${n} of 5`}
                aria-pressed={lane.rating >= n}
                className="p-0 text-ink-3"
                onClick={() => set({ rating: lane.rating === n ? 0 : n })}
              >
                <Star size={12} fill={lane.rating >= n ? "var(--weld)" : "none"} />
              </button>
            ))}
          </fieldset>
          <span className="ml-auto" />
          <button
            type="button"
            className={clsx(tool, "cursor-ew-resize touch-none")}
            aria-label={`Move ${lane.name} earlier or later`}
            title="Drag to move all of its sound earlier or later (, and . nudge)"
            onPointerDown={drag}
          >
            <ArrowLeftRight size={13} />
          </button>
          <button
            type="button"
            className={tool}
            aria-label={`Line up ${lane.name}`}
            title="Line up: to where it is most alike to what is picked, within a second"
            onClick={() => void lineUp(stack, lane)}
          >
            <AlignHorizontalJustifyStart size={13} />
          </button>
          <button
            type="button"
            className={tool}
            aria-label={`${lane.hidden ? "Show" : "Hide"} ${lane.name}`}
            onClick={() => set({ hidden: !lane.hidden })}
          >
            {lane.hidden ? <EyeOff size={13} /> : <Eye size={13} />}
          </button>
          <button
            type="button"
            className={tool}
            aria-label={`Remove ${lane.name}`}
            onClick={() => session().edit([{ type: "remove-lane", bundleId: stack.id, laneId: lane.id }])}
          >
            <Trash2 size={13} />
          </button>
        </div>
      </div>
      <div
        ref={field}
        data-testid={`lane-${lane.id}`}
        className="relative min-w-0 flex-1 cursor-crosshair touch-none overflow-hidden border-line border-l"
        onPointerDown={press}
      >
        <LaneWave lane={lane} start={stack.start} picked={picked} seen={seen} height={ROW - 1} dye={dye} levels={levels} />
        {sweep && (
          <div
            className="pointer-events-none absolute inset-y-0 border-indigo border-x-2 bg-indigo/20"
            style={{ left: x(sweep[0]), width: Math.max(1, x(sweep[1]) - x(sweep[0])) }}
          />
        )}
      </div>
    </li>
  );
}
