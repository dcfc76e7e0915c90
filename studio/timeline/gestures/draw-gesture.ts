import type { Edit } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import type { EnvelopePoint } from "@wet-thread/core/model/schema";
import { settings } from "@/state/kept/settings";
import { setView, view } from "@/state/view/view";
import { flagLines } from "../model/describe";
import { type DrawnLine, lineOf, roundedValue, valueOfY, valueWords, yOf } from "../model/envelope-lines";
import { viewGrid } from "../model/grid-columns";
import { snapInForce, snapped } from "../model/snapping";
import type { Zone } from "../model/zones";
import { CLICK_PIXELS, editing, type Gesture, type Plan, type Point, sampleAt } from "./gesture";

/** So near to a point, or to the line, in pixels, a press means it. */
const NEAR_POINT = 8;
const NEAR_LINE = 5;
/** A line drawn by hand keeps the points that it cannot do without to follow the hand this closely, in dB, parts of pan or cents. */
// Rounding to a tenth of a dB takes its share of the quarter.
const CLOSELY = { gain: 0.19, ride: 0.19, pan: 0.01, pitch: 3 } as const;

/** The edit that makes a line's points what is given; null takes it off. */
export function lineEdit(line: Pick<DrawnLine, "kind" | "clip" | "trackId">, points: readonly EnvelopePoint[] | null): Edit {
  if (line.kind === "ride") return { type: "set-ride", trackIds: [line.trackId], points };
  const { clip, kind } = line;
  // It takes places as the clip plays them; those that are kept of a clip that runs backwards are the other way round.
  return { type: "set-envelope", clipIds: [clip?.id ?? ""], kind, points };
}

/** Points at places of the timeline as the edit takes them: in order, one at a place, of a clip in the time that it plays. */
function asTaken(line: DrawnLine, points: readonly { at: number; value: number; hold?: true }[]): EnvelopePoint[] {
  const { clip } = line;
  const byPlace = new Map<number, EnvelopePoint>();
  for (const { at, value, hold } of points) {
    const place = Math.round(clip ? clip.offset + at - clip.start : at);
    if (place >= 0) byPlace.set(place, { at: place, value, ...(hold && { hold }) });
  }
  return [...byPlace.values()].sort((a, b) => a.at - b.at);
}

/** The line under a press with the draw tool; null where there is none to draw. */
export function lineUnder(doc: Document, zone: Zone): DrawnLine | null {
  const { drawKind } = view();
  if (!zone.box) return null;
  return lineOf(doc, view(), zone.box, drawKind, drawKind === "ride" ? null : (zone.clip ?? null));
}

/** What a bent pitch sounds like is made by the server, once it is laid. */
const isHeard = (line: DrawnLine): boolean => line.kind !== "pitch";

const px = (at: number): number => (at - view().start) / view().samplesPerPixel;
/** The point of a line that a press means. */
function pointNear(line: DrawnLine, p: Point): DrawnLine["points"][number] | undefined {
  return line.points
    .filter((q) => Math.hypot(px(q.at) - p.x, yOf(line, q.value) - p.y) <= NEAR_POINT)
    .sort((a, b) => Math.abs(px(a.at) - p.x) - Math.abs(px(b.at) - p.x))[0];
}

const within = (line: DrawnLine, at: number): number => Math.max(line.from, Math.min(line.to - 1, at));

/** What a press with the draw tool begins: on a point it is moved, on the line both ends of its segment, elsewhere one draws by hand. */
export function drawLine(doc: Document, zone: Zone, pressed: Point): Gesture | null {
  const line = lineUnder(doc, zone);
  if (!line) return null;
  const point = pointNear(line, pressed);
  if (point) return movePoint(doc, line, point, pressed);
  const at = sampleAt(pressed.x);
  const on = line.points.length > 0 && Math.abs(yOf(line, line.value(Math.round(at))) - pressed.y) <= NEAR_LINE;
  return on ? moveSegment(doc, line, at, pressed) : freehand(doc, line, pressed);
}

function movePoint(doc: Document, line: DrawnLine, point: DrawnLine["points"][number], pressed: Point): Gesture {
  const others = line.points.filter((q) => q !== point);
  const [before, after] = [others.filter((q) => q.at < point.at).at(-1), others.find((q) => q.at > point.at)];
  const gesture = editing(doc, (p): Plan => {
    const [dx, dy] = [p.x - pressed.x, p.y - pressed.y];
    const sideways = p.shift && Math.abs(dx) >= Math.abs(dy);
    const { position, target } = snapped(doc, {
      wanted: point.at + dx * view().samplesPerPixel,
      origin: point.at,
      least: Math.max(line.clip ? Number.NEGATIVE_INFINITY : 0, (before?.at ?? Number.NEGATIVE_INFINITY) + 1),
      most: (after?.at ?? Number.POSITIVE_INFINITY) - 1,
    });
    const place = p.shift && !sideways ? point.at : position;
    const value = sideways ? point.value : roundedValue(line.kind, valueOfY(line, yOf(line, point.value) + dy), snapInForce());
    const same = place === point.at && value === point.value;
    return {
      edits: same ? [] : [lineEdit(line, asTaken(line, [...others, { ...point, at: place, value }]))],
      heard: isHeard(line),
      lines: () => [valueWords(line.kind, value), ...flagLines(doc, Math.max(0, place), point.at, target).slice(0, 3)],
      shown: { lit: target },
    };
  });
  const choose = (): void => setView({ point: { kind: line.kind, id: line.clip?.id ?? line.trackId, index: point.index } });
  return {
    move: gesture.move,
    commit(p) {
      gesture.commit(p);
      choose();
    },
  };
}

/** Both ends of the segment under the press go up or down; before the first and after the last point only the one there is. */
function moveSegment(doc: Document, line: DrawnLine, at: number, pressed: Point): Gesture {
  const ends = [line.points.filter((q) => q.at <= at).at(-1), line.points.find((q) => q.at > at)].filter((q) => q !== undefined);
  const gesture = editing(doc, (p): Plan => {
    const up = (value: number): number => roundedValue(line.kind, valueOfY(line, yOf(line, value) + p.y - pressed.y), snapInForce());
    const moved = line.points.map((q) => (ends.includes(q) ? { ...q, value: up(q.value) } : q));
    const same = moved.every((q, i) => q.value === line.points[i].value);
    return {
      edits: same ? [] : [lineEdit(line, asTaken(line, moved))],
      heard: isHeard(line),
      lines: () => ends.map((q) => valueWords(line.kind, up(q.value))),
    };
  });
  return {
    move: gesture.move,
    commit(p) {
      // A click on the line sets a point there.
      if (Math.hypot(p.x - pressed.x, p.y - pressed.y) < CLICK_PIXELS) setPoint(doc, line, p).commit(p);
      else gesture.commit(p);
    },
  };
}

/** A point at the pointer. */
function setPoint(doc: Document, line: DrawnLine, p0: Point): Gesture {
  return editing(doc, (): Plan => {
    const { position, target } = snapped(doc, { wanted: within(line, sampleAt(p0.x)), origin: 0, least: line.from, most: line.to - 1 });
    const value = roundedValue(line.kind, valueOfY(line, p0.y), snapInForce());
    const rest = line.points.filter((q) => q.at !== position);
    return {
      edits: [lineEdit(line, asTaken(line, [...rest, { at: position, value }]))],
      lines: () => [valueWords(line.kind, value), ...flagLines(doc, position, null, target)],
    };
  });
}

interface Stroke {
  readonly at: number;
  readonly value: number;
}

/** The points that a stroke cannot do without to stay as near to itself as is asked for (Ramer, Douglas and Peucker). */
export function thinned(stroke: readonly Stroke[], closely: number): Stroke[] {
  if (stroke.length < 3) return [...stroke];
  const [a, b] = [stroke[0], stroke[stroke.length - 1]];
  let [far, most] = [0, closely];
  stroke.forEach((p, i) => {
    const on = a.value + ((b.value - a.value) * (p.at - a.at)) / (b.at - a.at || 1);
    if (Math.abs(p.value - on) > most) [far, most] = [i, Math.abs(p.value - on)];
  });
  if (far === 0) return [a, b];
  return [...thinned(stroke.slice(0, far + 1), closely).slice(0, -1), ...thinned(stroke.slice(far), closely)];
}

/** Draws by hand; on the grid in steps when snapping is in force. A click sets a point. */
function freehand(doc: Document, line: DrawnLine, pressed: Point): Gesture {
  const path = new Map<number, number>();
  const stepped = (): boolean => snapInForce() && settings().targets.includes("grid");
  let last: Point | null = null;
  const add = (p: Point): void => {
    // Between two looks at the pointer the hand went straight.
    const from = last ?? p;
    const steps = Math.max(1, Math.round(Math.abs(p.x - from.x)));
    for (let k = 1; k <= steps; k++) {
      const [x, y] = [from.x + ((p.x - from.x) * k) / steps, from.y + ((p.y - from.y) * k) / steps];
      path.set(Math.round(within(line, sampleAt(x))), valueOfY(line, y));
    }
    last = p;
  };
  const drawn = (): { points: EnvelopePoint[]; from: number; to: number } => {
    const stroke = [...path].map(([at, value]) => ({ at, value })).sort((a, b) => a.at - b.at);
    const [from, to] = [stroke[0].at, stroke[stroke.length - 1].at];
    if (!stepped()) {
      const thin = thinned(stroke, CLOSELY[line.kind]);
      return { points: thin.map((p) => ({ at: p.at, value: roundedValue(line.kind, p.value, false) })), from, to };
    }
    const { lines } = viewGrid(doc, settings(), view().start, view().samplesPerPixel);
    const cells = new Map<number, number>();
    for (const { at, value } of stroke) cells.set(Math.max(line.from, lines.before(at).sample), roundedValue(line.kind, value, true));
    const end = Math.min(line.to - 1, lines.after(to).sample);
    const first = Math.min(...cells.keys());
    const points: EnvelopePoint[] = [...cells].map(([at, value]) => ({ at, value, hold: true as const })).sort((a, b) => a.at - b.at);
    // After the last step the line goes on as it did.
    return { points: [...points, { at: end, value: line.value(end) }], from: first, to: end };
  };
  const gesture = editing(doc, (p): Plan => {
    add(p);
    const { points, from, to } = drawn();
    const outside = line.points.filter((q) => q.at < from || q.at > to);
    return {
      edits: [lineEdit(line, asTaken(line, [...outside, ...points]))],
      heard: isHeard(line),
      lines: () => [valueWords(line.kind, valueOfY(line, p.y)), ...(stepped() ? ["in steps on the grid"] : [])],
    };
  });
  return {
    move(p) {
      if (Math.hypot(p.x - pressed.x, p.y - pressed.y) < CLICK_PIXELS && path.size === 0) return setPoint(doc, line, p).move(p);
      if (path.size === 0) add(pressed);
      gesture.move(p);
    },
    commit(p) {
      if (path.size === 0) return setPoint(doc, line, p).commit(p);
      gesture.commit(p);
    },
  };
}

/** The edit that takes the point under a double click away; null where there is none. */
export function withoutPoint(doc: Document, zone: Zone, p: Point): Edit | null {
  const line = lineUnder(doc, zone);
  const point = line && pointNear(line, p);
  if (!line || !point) return null;
  const rest = line.points.filter((q) => q !== point);
  return lineEdit(line, rest.length ? asTaken(line, rest) : null);
}
