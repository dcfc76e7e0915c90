"use client";
import { picksOf } from "@wet-thread/core/edit/takes/lanes";
import clsx from "clsx";
import type { KeyboardEvent } from "react";
import { hearLane } from "@/commands/edit/comping";
import { nudgeLength } from "@/commands/edit/nudge";
import { moveLane, pickLane, reachOf, type Stack, setLane } from "@/commands/edit/takes";
import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { LaneField } from "./LaneField";
import { LaneHead } from "./LaneHead";
import { type LaneProps, ROW } from "./lane-look";

/** What Enter picks of a lane: the range, else what is picked at the playhead, else all. */
function meantSpan(stack: Stack): readonly [number, number] {
  const { range, playhead } = view();
  if (range) return [range.start, range.end];
  const now = picksOf(session().doc, stack).find((c) => c.start <= playhead && c.start + c.length > playhead);
  if (now) return [now.blend?.splice ?? now.start, now.start + now.length];
  const reach = reachOf(stack);
  return [reach.start, reach.end];
}

/** What a key does in a lane; undefined where it does nothing there. */
function doneBy(e: KeyboardEvent, { stack, lane }: LaneProps, walk: (by: number) => void): (() => void) | undefined {
  if (e.altKey || e.ctrlKey || e.metaKey) return undefined;
  if (/^[0-5]$/.test(e.key)) return () => setLane(stack, lane, { rating: Number(e.key) });
  switch (e.key) {
    case "ArrowDown":
      return () => walk(1);
    case "ArrowUp":
      return () => walk(-1);
    case "Enter":
      return () => pickLane(stack, lane, ...meantSpan(stack));
    case "h":
    case "H":
      return () => hearLane(stack, lane);
    case ",":
      return () => moveLane(stack, lane, -nudgeLength());
    case ".":
      return () => moveLane(stack, lane, nudgeLength());
  }
}

/** A lane of the stack; in it keys go up and down, pick, rate, hear and nudge. */
export function Lane(props: LaneProps) {
  const { lane, number } = props;
  const press = (e: KeyboardEvent<HTMLLIElement>): void => {
    if (e.target !== e.currentTarget) return;
    const rows = [...(e.currentTarget.parentElement?.children ?? [])] as HTMLElement[];
    const own = rows.indexOf(e.currentTarget);
    const done = doneBy(e, props, (by) => rows[own + by]?.focus());
    if (!done) return;
    e.preventDefault();
    e.stopPropagation();
    done();
  };
  return (
    <li
      aria-label={`Take ${number}, ${lane.name}, rated ${lane.rating}`}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: keys pick, rate and hear the lane
      tabIndex={0}
      className={clsx("flex border-weft border-b outline-none focus-visible:bg-weft", lane.hidden && "opacity-50")}
      style={{ height: ROW }}
      onKeyDown={press}
    >
      <LaneHead {...props} />
      <LaneField {...props} />
    </li>
  );
}
