"use client";
import type { TakeLane } from "@wet-thread/core/model/schema";
import clsx from "clsx";
import { AlignHorizontalJustifyStart, ArrowLeftRight, Ear, Eye, EyeOff, Repeat2, Star, Trash2 } from "lucide-react";
import { type PointerEvent as ReactPointerEvent, useState } from "react";
import { hearAgainst, hearLane, pickTake, useHeard } from "@/commands/edit/comping";
import { lineUp, moveLane, removeLane, type Stack, setLane } from "@/commands/edit/takes";
import { keyOf } from "@/commands/keys";
import { laneItems } from "@/commands/menus/take-items";
import { HEAD_WIDTH } from "@/timeline/model/geometry";
import { Popover, Swatches } from "@/ui/controls";
import { Menu } from "@/ui/menu";
import { NameField } from "@/ui/NameField";
import { followPointer } from "@/ui/pointer-drag";
import { CLICK, type LaneProps } from "./lane-look";

const tool = "rounded-sm p-0.5 text-ink-3 hover:bg-weft hover:text-ink";

/** What a lane is called, how it is rated, and what is done with all of it. */
export function LaneHead({ stack, lane, number, seen, dye }: LaneProps) {
  return (
    <Menu items={() => laneItems(stack, lane)}>
      <div className="flex shrink-0 flex-col justify-center gap-0.5 px-2" style={{ width: HEAD_WIDTH }}>
        <NameRow stack={stack} lane={lane} number={number} dye={dye} />
        <div className="flex items-center gap-1">
          <Rating stack={stack} lane={lane} />
          <span className="ml-auto" />
          <LaneTools stack={stack} lane={lane} per={seen.per} />
        </div>
      </div>
    </Menu>
  );
}

function NameRow({ stack, lane, number, dye }: Omit<LaneProps, "seen">) {
  const alone = useHeard((h) => h.laneId === lane.id && !h.inTurn);
  const inTurn = useHeard((h) => h.laneId === lane.id && h.inTurn);
  const laneNow = useHeard((h) => h.laneId === lane.id && h.inTurn && h.laneNow);
  const [naming, setNaming] = useState(false);
  return (
    <div className="flex items-center gap-1">
      <button
        type="button"
        aria-label={`Pick take ${number} for the phrase at the playhead`}
        title={`For the phrase that is heard, or at the playhead${keyOf(`take-${number}`) ? ` (${keyOf(`take-${number}`)})` : ""}`}
        className="num min-w-[18px] shrink-0 rounded-sm border border-line bg-raised px-1 text-ink-2 text-sm hover:border-ink-3 hover:text-ink"
        onClick={() => pickTake(number)}
      >
        {number}
      </button>
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
        <Swatches value={lane.color} onChange={(color) => setLane(stack, lane, { color })} />
      </Popover>
      {naming ? (
        <NameField
          label="Name of the take"
          value={lane.name}
          className="h-5 min-w-0 flex-1 rounded-sm border border-ink-2 bg-raised px-1 outline-none"
          onDone={(name) => {
            setNaming(false);
            if (name) setLane(stack, lane, { name });
          }}
        />
      ) : (
        <button type="button" className="min-w-0 flex-1 truncate text-left font-medium" title="Rename" onClick={() => setNaming(true)}>
          {lane.name || "Take"}
        </button>
      )}
      <button
        type="button"
        className={clsx(tool, alone && "!text-madder")}
        aria-label={`Hear ${lane.name} by itself`}
        aria-pressed={alone}
        title="Hear it by itself, at its place, round and round (H)"
        onClick={() => hearLane(stack, lane)}
      >
        <Ear size={14} />
      </button>
      <button
        type="button"
        className={clsx(tool, inTurn && "!text-madder")}
        aria-label={`Hear ${lane.name} against what is picked`}
        aria-pressed={inTurn}
        title={inTurn ? `In turn: now ${laneNow ? "this take" : "what is picked"}` : "What is picked and this take in turn, a round each"}
        onClick={() => hearAgainst(stack, lane)}
      >
        <Repeat2 size={14} />
      </button>
    </div>
  );
}

function Rating({ stack, lane }: { stack: Stack; lane: TakeLane }) {
  return (
    <fieldset className="flex" aria-label="Rating">
      {[1, 2, 3, 4, 5].map((n) => (
        <button
          key={n}
          type="button"
          aria-label={`${n} of 5`}
          aria-pressed={lane.rating >= n}
          className="p-0 text-ink-3"
          onClick={() => setLane(stack, lane, { rating: lane.rating === n ? 0 : n })}
        >
          <Star size={12} fill={lane.rating >= n ? "var(--weld)" : "none"} />
        </button>
      ))}
    </fieldset>
  );
}

function LaneTools({ stack, lane, per }: { stack: Stack; lane: TakeLane; per: number }) {
  const drag = (e: ReactPointerEvent<HTMLButtonElement>): void => {
    const x0 = e.clientX;
    followPointer(e.currentTarget, e.pointerId, {
      move: () => {},
      drop: (m) => {
        const by = (m.clientX - x0) * per;
        if (Math.abs(m.clientX - x0) >= CLICK) moveLane(stack, lane, by);
      },
    });
  };
  return (
    <>
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
        onClick={() => setLane(stack, lane, { hidden: !lane.hidden })}
      >
        {lane.hidden ? <EyeOff size={13} /> : <Eye size={13} />}
      </button>
      <button type="button" className={tool} aria-label={`Remove ${lane.name}`} onClick={() => removeLane(stack, lane)}>
        <Trash2 size={13} />
      </button>
    </>
  );
}
