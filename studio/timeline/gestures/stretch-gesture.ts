import type { Edit } from "@wet-thread/core/edit/registry";
import { timingOf } from "@wet-thread/core/edit/remaking/remake";
import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { kindOf, ownWindow } from "@wet-thread/core/model/recipe/played-recording";
import { anchoredPoints, pointAt, warpPointsOf, withPoints } from "@wet-thread/core/model/recipe/warp-points";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import type { Seam } from "@wet-thread/core/seam/seams";
import { formatChange } from "@wet-thread/core/time/format";
import { MOST_STRETCH, type Tie } from "@wet-thread/core/time/time-map";
import { settings } from "@/state/kept/settings";
import { modeRules } from "@/state/view/modes";
import { view } from "@/state/view/view";
import { flagLines } from "../model/describe";
import { viewGrid } from "../model/grid-columns";
import { hitsIn, snapped } from "../model/snapping";
import { dragging, edgesOf, editing, type Gesture, type Plan, type Point, sampleAt, taken } from "./gesture";
import { movedWords, overlapWords } from "./move-gesture";

/** The kind of a stretch by hand: the clip's own, else the one used last. */
export const kindFor = (clip: Clip): Edit["kind"] => (timingOf(clip) ? kindOf(clip.recipe) : settings().stretchKind);

/** How long a clip is of what its recording has there, in words: "125.0 %". */
export function factorWords(doc: Document, clip: Clip): string {
  const source = doc.sources.get(clip.sourceId);
  if (!source) return "";
  const { from, to } = ownWindow(source, clip);
  return `${((100 * clip.length) / Math.max(1, to - from)).toFixed(1)} %`;
}

/** How long a clip can be made at least and at most, as parts of what it is. */
function roomOf(doc: Document, clip: Clip): { least: number; most: number } {
  const source = doc.sources.get(clip.sourceId);
  const window = source ? ownWindow(source, clip) : { from: 0, to: clip.length };
  const own = window.to - window.from;
  return { least: Math.ceil(own / MOST_STRETCH) / clip.length, most: Math.floor(own * MOST_STRETCH) / clip.length };
}

/** Stretches an end of clips; several keep their proportions. */
export function stretchClips(doc: Document, clip: Clip, edge: "start" | "end", pressed: Point): Gesture {
  const clips = taken(doc, clip);
  const origin = edge === "start" ? clip.start : clipEnd(clip);
  const rooms = clips.map((c) => roomOf(doc, c));
  const least = Math.max(1, Math.ceil(clip.length * Math.max(...rooms.map((r) => r.least))));
  const most = Math.floor(clip.length * Math.min(...rooms.map((r) => r.most)));
  return dragging(doc, (p): Plan => {
    const { position, target } = snapped(doc, {
      wanted: origin + sampleAt(p.x) - sampleAt(pressed.x),
      origin,
      except: edgesOf(clips),
      tracks: new Set(clips.map((c) => c.trackId)),
      ...(edge === "end"
        ? { least: clip.start + least, most: clip.start + most }
        : { least: Math.max(0, clipEnd(clip) - most), most: clipEnd(clip) - least }),
    });
    const length = edge === "end" ? position - clip.start : clipEnd(clip) - position;
    const rules = modeRules();
    const edits = clips.map(
      (c): Edit => ({
        type: "stretch",
        clipIds: [c.id],
        length: Math.max(1, Math.round((c.length * length) / clip.length)),
        edge,
        kind: kindFor(c),
        ...rules,
      }),
    );
    return {
      edits: length === clip.length ? [] : edits,
      name: clips.length > 1 ? `Stretch ${clips.length} clips` : undefined,
      lines: (after) => {
        const now = after.clips.get(clip.id);
        return flagLines(
          doc,
          position,
          origin,
          target,
          now && `${factorWords(doc, now)} of the recording`,
          overlapWords(doc, after, clips),
          movedWords(doc, after, clips),
        );
      },
      shown: { lit: target && length !== clip.length ? target : null },
    };
  });
}

/**
 * The stretch tool on a mark of the seam rail: where two clips meet both are stretched, so that they meet where it is dropped and nothing else
 * moves; at an edge by itself that end is. Null for a blend, whose mark keeps what a drag of it does.
 */
export function stretchSeam(doc: Document, { left, right, kind, position: origin }: Seam, pressed: Point): Gesture | null {
  if (kind === "blended") return null;
  if (!left || !right || clipEnd(left) !== right.start) {
    const clip = left ?? right;
    return clip ? stretchClips(doc, clip, left ? "end" : "start", pressed) : null;
  }
  const [before, after] = [roomOf(doc, left), roomOf(doc, right)];
  const end = clipEnd(right);
  const least = Math.max(left.start + Math.max(1, Math.ceil(left.length * before.least)), end - Math.floor(right.length * after.most));
  const most = Math.min(left.start + Math.floor(left.length * before.most), end - Math.max(1, Math.ceil(right.length * after.least)));
  return dragging(doc, (p): Plan => {
    const { position, target } = snapped(doc, {
      wanted: origin + sampleAt(p.x) - sampleAt(pressed.x),
      origin,
      except: edgesOf([left, right]),
      tracks: new Set([left.trackId]),
      least,
      most,
    });
    const one = (clip: Clip, edge: "start" | "end", length: number): Edit => ({
      type: "stretch",
      clipIds: [clip.id],
      length,
      edge,
      kind: kindFor(clip),
    });
    const both = [one(left, "end", position - left.start), one(right, "start", end - position)];
    return {
      // Who becomes shorter goes first, so that neither is ever laid over the other.
      edits: position === origin ? [] : position < origin ? both : both.reverse(),
      name: "Stretch both sides of a joint",
      lines: (now) =>
        flagLines(
          doc,
          position,
          origin,
          target,
          [left, right]
            .map((c) => now.clips.get(c.id))
            .filter((c) => c !== undefined)
            .map((c) => factorWords(doc, c))
            .join(", "),
        ),
      shown: { lit: target && position !== origin ? target : null },
    };
  });
}

/** Pixels around a warp point in which it is taken hold of. */
const GRAB = 7;

/** The place in the list of the warp point of a clip that lies at a place of the screen; −1 where none does. */
export function warpPointAt(doc: Document, clip: Clip, x: number): number {
  const source = doc.sources.get(clip.sourceId);
  if (!source) return -1;
  const far = warpPointsOf(source, clip).map((p) => Math.abs((clip.start + p.to - view().start) / view().samplesPerPixel - x));
  const least = Math.min(...far);
  return least <= GRAB ? far.indexOf(least) : -1;
}

/** The stretch tool on a clip: a warp point near the pointer is moved, with Alt a new one is set; else the nearer end is stretched. */
export function stretchOrWarp(doc: Document, clip: Clip, pressed: Point): Gesture | null {
  const source = doc.sources.get(clip.sourceId);
  if (!source) return null;
  const held = warpPointAt(doc, clip, pressed.x);
  if (held >= 0) return moveWarpPoint(doc, clip, warpPointsOf(source, clip), held);
  if (!pressed.alt) return stretchClips(doc, clip, sampleAt(pressed.x) < clip.start + clip.length / 2 ? "start" : "end", pressed);
  const at = Math.round(sampleAt(pressed.x));
  const reach = Math.ceil(GRAB * view().samplesPerPixel);
  // A new point is drawn to the hit under the pointer.
  const hits = hitsIn(doc, [clip.trackId], at - reach, at + reach);
  const place = hits.length > 0 ? hits.reduce((a, b) => (Math.abs(b - at) < Math.abs(a - at) ? b : a)) : at;
  if (place <= clip.start || place >= clipEnd(clip)) return null;
  const point = pointAt(source, clip, place - clip.start);
  const points = withPoints(anchoredPoints(source, clip), [point]);
  return moveWarpPoint(doc, clip, points, points.indexOf(point), true);
}

function moveWarpPoint(doc: Document, clip: Clip, points: readonly Tie[], index: number, fresh = false): Gesture {
  const point = points[index];
  const origin = clip.start + point.to;
  const bounds = [points[index - 1], points[index + 1]].map((near, i) => {
    if (!near) return i === 0 ? 0 : Number.MAX_SAFE_INTEGER;
    const own = Math.abs(point.from - near.from);
    return clip.start + near.to + (i === 0 ? Math.ceil(own / MOST_STRETCH) : -Math.ceil(own / MOST_STRETCH));
  });
  return (fresh ? editing : dragging)(doc, (p): Plan => {
    const { position, target } = snapped(doc, {
      wanted: sampleAt(p.x),
      origin,
      except: new Set([origin]),
      tracks: new Set([clip.trackId]),
      least: bounds[0],
      most: bounds[1],
    });
    const moved = points.map((q, i) => (i === index ? { from: q.from, to: position - clip.start } : q));
    return {
      edits:
        position === origin && !fresh
          ? []
          : [{ type: "warp", clipIds: [clip.id], points: moved, ...(clip.recipe?.warp ? {} : { kind: kindFor(clip) }), ...modeRules() }],
      lines: () => [...flagLines(doc, position, origin, target), lineWords(doc, position)],
      shown: { lit: target },
    };
  });
}

/** How far a place lies from the nearest grid line, in words. */
export function lineWords(doc: Document, position: number): string {
  const { lines } = viewGrid(doc, settings(), view().start, view().samplesPerPixel);
  const [before, after] = [lines.before(position).sample, lines.after(position).sample];
  const off = position - before <= after - position ? position - before : position - after;
  return off === 0 ? "on the line" : `${formatChange(off, doc.sampleRate)} from the line`;
}

/** An edit that takes the warp point of a clip at a place of the screen away; null where there is none. */
export function withoutWarpPoint(doc: Document, clip: Clip | undefined, x: number): Edit | null {
  const source = clip && doc.sources.get(clip.sourceId);
  if (!clip || !source) return null;
  const index = warpPointAt(doc, clip, x);
  if (index < 0) return null;
  const points = warpPointsOf(source, clip).filter((_, i) => i !== index);
  return { type: "warp", clipIds: [clip.id], points: points.length > 0 ? points : null, ...modeRules() };
}

/** Beats of the piece that a clip lasts, with their fraction. */
export function beatsOf(doc: Document, clip: Clip): number {
  const { tempo, meter } = timebaseOf(doc);
  const tick = tempo.sampleToTick(clip.start);
  return (tempo.ticksAt(clipEnd(clip)) - tempo.ticksAt(clip.start)) / meter.meterAt(tick).beatTicks;
}
