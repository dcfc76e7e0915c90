"use client";
import type { KeyboardEvent, PointerEvent as ReactPointerEvent } from "react";
import { followPointer } from "./pointer-drag";

/** A value of a dial's range that is reached by its turn, 0 to 1; `even`: each part of the turn multiplies by as much, as ears count. */
export interface DialRange {
  readonly least: number;
  readonly most: number;
  readonly even?: boolean;
}

/** How far a value is turned, 0 at the least and 1 at the most. */
export function turnOf({ least, most, even }: DialRange, value: number): number {
  const within = Math.max(least, Math.min(most, value));
  return even ? Math.log(within / least) / Math.log(most / least) : (within - least) / (most - least);
}

/** The value of a turn, to three figures, or to a thousandth of the range. */
export function valueOfTurn({ least, most, even }: DialRange, turn: number): number {
  const t = Math.max(0, Math.min(1, turn));
  if (t === 0) return least;
  if (t === 1) return most;
  const step = 10 ** Math.floor(Math.log10((most - least) / 500));
  const value = even
    ? Number((least * (most / least) ** t).toPrecision(3))
    : Math.round(Math.round((least + t * (most - least)) / step) * step * 1e6) / 1e6;
  return Math.max(least, Math.min(most, value));
}

/** A full turn takes so many pixels; with Shift ten times as many. */
const PIXELS = 160;
const [FIRST, WHOLE] = [-135, 270];

interface Props {
  readonly label: string;
  readonly value: number;
  readonly text: string;
  readonly range: DialRange;
  /** What a double click goes back to. */
  readonly standard: number;
  /** While it is being turned; null when that is called off. */
  readonly onTurn: (value: number | null) => void;
  readonly onSet: (value: number) => void;
}

/** A dial that is turned by dragging up and down, by arrow keys, and set back by a double click. */
export function Dial({ label, value, text, range, standard, onTurn, onSet }: Props) {
  const turn = turnOf(range, value);
  const drag = (e: ReactPointerEvent<HTMLElement>): void => {
    if (e.button !== 0) return;
    e.preventDefault();
    e.currentTarget.focus();
    let [last, now, moved] = [e.clientY, turn, false];
    const to = (m: PointerEvent): number => {
      now = Math.max(0, Math.min(1, now + (last - m.clientY) / (m.shiftKey ? 10 * PIXELS : PIXELS)));
      last = m.clientY;
      return valueOfTurn(range, now);
    };
    followPointer(e.currentTarget, e.pointerId, {
      move: (m) => {
        if (m.clientY !== last) moved = true;
        if (moved) onTurn(to(m));
      },
      drop: (m) => {
        if (moved) onSet(to(m));
      },
      cancel: () => onTurn(null),
    });
  };
  const press = (e: KeyboardEvent): void => {
    const steps = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }[e.key];
    const to = steps !== undefined ? valueOfTurn(range, turn + steps * (e.shiftKey ? 0.001 : 0.01)) : { Home: range.least, End: range.most }[e.key];
    if (to === undefined) return;
    e.preventDefault();
    e.stopPropagation();
    onSet(to);
  };
  return (
    <span
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={range.least}
      aria-valuemax={range.most}
      aria-valuenow={value}
      aria-valuetext={text}
      title="Drag up or down to turn it, with Shift finely · double-click for what it is at first"
      className="size-5 shrink-0 cursor-ns-resize touch-none rounded-full"
      onPointerDown={drag}
      onDoubleClick={() => onSet(standard)}
      onKeyDown={press}
    >
      <svg viewBox="-10 -10 20 20" aria-hidden>
        <circle r="8" className="fill-raised stroke-ink-3" strokeWidth="1.4" />
        <line y1="-2.5" y2="-7.5" className="stroke-ink" strokeWidth="2" strokeLinecap="round" transform={`rotate(${FIRST + turn * WHOLE})`} />
      </svg>
    </span>
  );
}
