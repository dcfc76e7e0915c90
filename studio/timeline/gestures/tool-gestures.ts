import { cutsEvery } from "@wet-thread/core/edit/cutting/even-cuts";
import type { Document } from "@wet-thread/core/model/document";
import { playedSource } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatChange, formatLength } from "@wet-thread/core/time/format";
import { settings } from "@/state/kept/settings";
import { modeRules, neighbourRules } from "@/state/view/modes";
import { view } from "@/state/view/view";
import { host } from "../host";
import { flagLines } from "../model/describe";
import { laneAt } from "../model/geometry";
import { viewGrid } from "../model/grid-columns";
import { jointAt } from "../model/landing";
import { hitsIn, snapInForce, snapped } from "../model/snapping";
import { alongStroke } from "../model/stroke";
import { zoneAt } from "../model/zones";
import { askingFor, dragging, editing, type Gesture, type Plan, type Point, sampleAt, taken } from "./gesture";
import { movedWords } from "./move-gesture";
import { tracksBetween } from "./range-gestures";

/** Splits where the line is: one clip, or in one straight stroke whatever lies there on several tracks; with Alt in parts of that length. */
export function splitStroke(doc: Document, clip: Clip | undefined, pressed: Point): Gesture {
  const at = (p: Point) => {
    const bounds = clip ? { least: clip.start + 1, most: clipEnd(clip) - 1 } : {};
    // The stroke is straight: it stays where it was pressed, unless it is still on its first track.
    const stroke = tracksBetween(doc, pressed.y, p.y);
    const snap = snapped(doc, {
      wanted: sampleAt(stroke.length > 1 ? pressed.x : p.x),
      origin: 0,
      ...(stroke.length > 1 ? {} : bounds),
      material: clip,
    });
    return { ...snap, stroke };
  };
  const cutsOf = (trackIds: readonly string[], position: number) => trackIds.map((trackId) => ({ trackId, position }));
  return editing(doc, (p): Plan => {
    const { position, target, stroke } = at(p);
    if (stroke.length > 1) {
      const crossed = stroke.filter((id) =>
        doc.lanes
          .get(id)
          ?.within(position, position + 1)
          .some((c) => c.start < position),
      );
      return {
        edits: crossed.length ? [{ type: "split", trackIds: crossed, at: position }] : [],
        lines: () => [`split on ${crossed.length} tracks`, ...flagLines(doc, position, null, target)],
        shown: { cuts: cutsOf(stroke, position) },
      };
    }
    if (!clip) return { edits: [], lines: () => ["no clip here"], shown: {} };
    if (p.alt) {
      const every = position - clip.start;
      const cuts = cutsEvery(clip, every);
      if (!cuts) return { edits: [], lines: () => ["too many parts: draw longer ones"], shown: {} };
      return {
        edits: cuts.length <= 512 ? [{ type: "split", clipIds: [clip.id], every }] : [],
        lines: () => [
          `${cuts.length + 1} parts of ${formatLength(every, doc.sampleRate)}`,
          ...(cuts.length > 512 ? ["too many: draw longer parts"] : []),
        ],
        shown: { cuts: cuts.slice(0, 512).map((c) => ({ trackId: clip.trackId, position: c })) },
      };
    }
    const there = doc.lanes.get(clip.trackId)?.within(position, position + 1).length ?? 0;
    return {
      edits: [{ type: "split", clipIds: [clip.id], at: position }],
      lines: () => [there > 1 ? `splits only this one of ${there} layers` : "split", ...flagLines(doc, position, null, target)],
      shown: { lit: { position, kind: "cut" } },
    };
  });
}

/** Shifts the audio inside a clip's edges. A hit near the pointer is what snaps; else the place that was taken hold of. */
export function shiftAudio(doc: Document, clip: Clip, pressed: Point): Gesture {
  const clips = taken(doc, clip);
  const grip = Math.round(sampleAt(pressed.x));
  const reach = 40 * view().samplesPerPixel;
  const hit = hitsIn(doc, [clip.trackId], Math.floor(grip - reach), Math.ceil(grip + reach)).reduce<number | null>(
    (best, h) => (best === null || Math.abs(h - grip) < Math.abs(best - grip) ? h : best),
    null,
  );
  const anchor = hit ?? grip;
  const rooms = clips.map((c) => ({ earlier: (playedSource(doc.sources, c)?.length ?? 0) - c.offset - c.length, later: c.offset }));
  const most = Math.min(...rooms.map((r) => r.later));
  const least = -Math.min(...rooms.map((r) => r.earlier));
  return dragging(doc, (p): Plan => {
    const { position, target } = snapped(doc, {
      wanted: anchor + sampleAt(p.x) - sampleAt(pressed.x),
      origin: anchor,
      except: new Set([anchor]),
      least: anchor + least,
      most: anchor + most,
    });
    const by = position - anchor;
    const end = by === most ? "the recording starts here" : by === least ? "the recording ends here" : undefined;
    return {
      edits: by === 0 ? [] : [{ type: "shift-inside", clipIds: clips.map((c) => c.id), by }],
      lines: () => [`${formatChange(by, doc.sampleRate)} inside`, ...flagLines(doc, position, null, target, end).slice(0, 3)],
      shown: { lit: target && by !== 0 ? target : null },
    };
  });
}

/** Lays copies of a clip one after the other along the drag, each on the next grid line that is free when the grid is in force. */
export function stampAlong(doc: Document, clip: Clip): Gesture {
  const clips = taken(doc, clip);
  const start = Math.min(...clips.map((c) => c.start));
  const end = Math.max(...clips.map(clipEnd));
  const { lines } = viewGrid(doc, settings(), view().start, view().samplesPerPixel);
  const onGrid = snapInForce() && settings().targets.includes("grid");
  let pitch = end - start;
  if (onGrid) {
    const line = lines.before(start).sample;
    let next = lines.before(line + pitch).sample;
    if (next < line + pitch) next = lines.after(next).sample;
    pitch = Math.max(1, next - line);
  }
  return editing(doc, (p): Plan => {
    const times = Math.max(0, Math.floor((sampleAt(p.x) - start) / pitch));
    return {
      edits: times === 0 ? [] : [{ type: "repeat", clipIds: clips.map((c) => c.id), times: Math.min(times, 2000), every: pitch, ...modeRules() }],
      name: `Stamp ${clips.length === 1 ? clip.name : `${clips.length} clips`}`,
      lines: () => [times === 1 ? "1 copy" : `${times} copies`, `every ${formatLength(pitch, doc.sampleRate)}`],
    };
  });
}

/** Stamps what was copied where a lane is pressed; what it does to neighbours is shown before. */
export function stampHere(doc: Document): Gesture {
  return editing(doc, (p): Plan => {
    const { position, target } = snapped(doc, { wanted: Math.max(0, sampleAt(p.x)), origin: 0 });
    const edit = host().pasteEdit(doc, position, laneAt(doc, p.y + view().scrollY)?.trackId);
    return {
      edits: edit ? [edit] : [],
      lines: (after) => (edit ? ["stamp here", ...flagLines(doc, position, null, target, movedWords(doc, after, []))] : ["copy something first"]),
      shown: {
        lit: { position, kind: "stamp" },
        joint: neighbourRules().neighbours === "reorder" ? jointAt(doc, laneAt(doc, p.y + view().scrollY)?.trackId, position) : null,
      },
      instead: askingFor(p, { start: position, end: position }, 0, (by) => {
        const there = host().pasteEdit(doc, position + by, laneAt(doc, p.y + view().scrollY)?.trackId);
        return there ? [there] : [];
      }),
    };
  });
}

/** With Alt the eraser takes out only what lies under the stroke, on the tracks that it crosses. */
function strokeOut(doc: Document, pressed: Point, p: Point): Plan {
  const at = (x: number): number => snapped(doc, { wanted: Math.max(0, sampleAt(x)), origin: 0 }).position;
  const [a, b] = [at(pressed.x), at(p.x)];
  const [start, end] = [Math.min(a, b), Math.max(a, b)];
  const trackIds = tracksBetween(doc, pressed.y, p.y);
  const any = end > start && trackIds.some((id) => (doc.lanes.get(id)?.within(start, end).length ?? 0) > 0);
  return {
    edits: any ? [{ type: "delete-range", start, end, trackIds, ...neighbourRules() }] : [],
    lines: () => [`erases ${formatLength(end - start, doc.sampleRate)}`, ...flagLines(doc, b, null, null).slice(0, 1)],
    shown: { range: { start, end, trackIds } },
  };
}

/** Mutes (or unmutes, as the first one needs) or deletes every clip that the pointer goes over. */
export function sweep(doc: Document, what: "mute" | "erase", first: Clip | undefined, pressed: Point): Gesture {
  const ids = new Set<string>();
  const mute = !(first?.mute ?? false);
  let last: { x: number; y: number } = { x: pressed.x, y: pressed.y };
  return editing(doc, (p): Plan => {
    if (what === "erase" && p.alt) return strokeOut(doc, pressed, p);
    for (const { x, y } of alongStroke(last, p)) {
      const { clip } = zoneAt(doc, view(), x, y);
      if (clip && !ids.has(clip.id)) for (const c of what === "erase" ? taken(doc, clip) : [clip]) ids.add(c.id);
    }
    last = { x: p.x, y: p.y };
    const clipIds = [...ids];
    const count = clipIds.length === 1 ? "1 clip" : `${clipIds.length} clips`;
    return {
      edits: ids.size === 0 ? [] : [what === "mute" ? { type: "mute", clipIds, mute } : { type: "delete", clipIds, ...neighbourRules() }],
      lines: () => [what === "erase" ? `deletes ${count}` : `${mute ? "mutes" : "unmutes"} ${count}`],
    };
  });
}
