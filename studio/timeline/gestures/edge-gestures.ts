import { bundleClips, objectOf } from "@wet-thread/core/edit/bundles/members";
import { rippleRoom, trimRoom } from "@wet-thread/core/edit/cutting/trim-reach";
import type { Edit } from "@wet-thread/core/edit/registry";
import { blendAfter, type Document } from "@wet-thread/core/model/document";
import { playedSource } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { setSettings, settings } from "@/state/kept/settings";
import { modeRules } from "@/state/view/modes";
import { setView, view } from "@/state/view/view";
import { flagLines } from "../model/describe";
import { snapInForce, snapped } from "../model/snapping";
import type { Zone } from "../model/zones";
import { edgesOf, editing, type Gesture, type Plan, type Point, sampleAt, taken } from "./gesture";
import { movedWords, overlapWords } from "./move-gesture";

/** The clips whose edges a trim or fade changes: of a closed bundle only those at its own edge, or the one that was taken hold of. */
function trimmedWith(doc: Document, clip: Clip, edge: "start" | "end"): Clip[] {
  const at = (c: Clip): number => (edge === "start" ? c.start : clipEnd(c));
  return taken(doc, clip).filter((c) => {
    const object = objectOf(doc, c, view().openBundle);
    if (!object || c.id === clip.id) return true;
    const members = bundleClips(doc, object.id).map(at);
    const outer = edge === "start" ? Math.min(...members) : Math.max(...members);
    return at(c) === outer && (objectOf(doc, clip, view().openBundle)?.id !== object.id || at(clip) === outer);
  });
}

/** A millisecond wider than this is seen closely enough to trim a clip down to less. */
const FINE_PIXELS = 8;

/** Trims an edge of clips; with Alt, an end that is pulled out is filled with copies. */
export function trimClips(doc: Document, clip: Clip, edge: "start" | "end", pressed: Point): Gesture {
  const clips = trimmedWith(doc, clip, edge);
  const clipIds = clips.map((c) => c.id);
  const origin = edge === "start" ? clip.start : clipEnd(clip);
  const grip = sampleAt(pressed.x);
  return editing(doc, (p): Plan => {
    const rules = modeRules();
    const fills = p.alt && edge === "end";
    // By hand a clip keeps a millisecond, unless it is looked at so closely that less can be meant.
    const millisecond = Math.ceil(doc.sampleRate / 1000);
    const keeps = millisecond > FINE_PIXELS * view().samplesPerPixel ? 1 : millisecond;
    const rooms = clips.map((c) => (rules.neighbours === "hold" ? trimRoom : rippleRoom)(c, edge, playedSource(doc.sources, c)?.length ?? 0));
    const shortest = Math.min(...clips.map((c) => c.length));
    const most0 = Math.min(...rooms.map((r) => r.most));
    const least0 = Math.max(...rooms.map((r) => r.least));
    const least = edge === "end" ? Math.min(0, Math.max(least0, keeps - shortest)) : least0;
    const most = edge === "start" ? Math.max(0, Math.min(most0, shortest - keeps)) : most0;
    const { position, target } = snapped(doc, {
      wanted: origin + sampleAt(p.x) - grip,
      origin,
      except: edgesOf(clips),
      tracks: new Set(clips.map((c) => c.trackId)),
      material: fills ? undefined : clip,
      least: fills ? origin : origin + least,
      most: fills ? undefined : origin + most,
    });
    const by = position - origin;
    const lit = target && by !== 0 ? { position: target.position, kind: target.kind } : null;
    if (fills) {
      const group = taken(doc, clip);
      const span = Math.max(...group.map(clipEnd)) - Math.min(...group.map((c) => c.start));
      return {
        edits: by <= 0 ? [] : [{ type: "repeat", clipIds: group.map((c) => c.id), until: position, ...rules }],
        lines: () => flagLines(doc, position, origin, target, `fills with ${(by / span).toFixed(2)} copies`),
        shown: { lit },
      };
    }
    const end =
      by === least && edge === "start" ? "the recording starts here" : by === most && edge === "end" ? "the recording ends here" : undefined;
    return {
      edits: by === 0 ? [] : [{ type: "trim", clipIds, edge, by, ...rules }],
      lines: (after) => flagLines(doc, position, origin, target, end, overlapWords(doc, after, clips), movedWords(doc, after, clips)),
      shown: { lit },
    };
  });
}

/** Pixels of height that a dB of gain takes. */
const DB_PIXELS = 4;

/** Drags the gain of clips up and down, in whole dB unless the grid is left. */
export function dragGain(doc: Document, clip: Clip, pressed: Point): Gesture {
  const clips = taken(doc, clip);
  return editing(doc, (p): Plan => {
    const raw = (pressed.y - p.y) / DB_PIXELS;
    const by = snapInForce() ? Math.round(raw) : Math.round(raw * 10) / 10;
    return {
      edits: by === 0 ? [] : [{ type: "set-gain", clipIds: clips.map((c) => c.id), by }],
      heard: true,
      lines: (after) => {
        const gain = after.clips.get(clip.id)?.gain ?? clip.gain;
        return [
          `gain ${gain <= -144 ? "silence" : `${gain < 0 ? "−" : "+"}${Math.abs(gain).toFixed(1)} dB`}`,
          `${by < 0 ? "−" : "+"}${Math.abs(by).toFixed(1)} dB`,
        ];
      },
    };
  });
}

/** Pixels of height that bend a fade all the way. */
const BEND_PIXELS = 160;

export function fadeClips(doc: Document, clip: Clip, edge: "in" | "out", pressed: Point): Gesture {
  const clips = trimmedWith(doc, clip, edge === "in" ? "start" : "end");
  const fade = edge === "in" ? clip.fadeIn : clip.fadeOut;
  const corner = edge === "in" ? clip.start : clipEnd(clip);
  const away = edge === "in" ? 1 : -1;
  const origin = corner + away * fade.length;
  const grip = sampleAt(pressed.x);
  const follower = edge === "out" ? blendAfter(doc, clip) : undefined;
  return editing(doc, (p): Plan => {
    const room = clip.length - (edge === "in" ? clip.fadeOut.length : clip.fadeIn.length);
    const bounds = edge === "in" ? { least: clip.start, most: clip.start + room } : { least: clipEnd(clip) - room, most: clipEnd(clip) };
    const { position, target } = snapped(doc, {
      wanted: origin + sampleAt(p.x) - grip,
      origin,
      except: new Set([corner]),
      tracks: new Set([clip.trackId]),
      ...bounds,
    });
    const length = away * (position - corner);
    const rise = pressed.y - p.y;
    const bend =
      Math.abs(rise) < 6 ? fade.bend : Math.round(Math.max(-1, Math.min(1, fade.bend - (rise - 6 * Math.sign(rise)) / BEND_PIXELS)) * 100) / 100;
    if (follower)
      return {
        edits: [{ type: "set-blend", clipId: follower.id, length: Math.max(1, length) }],
        lines: () => [`blend ${formatLength(length, doc.sampleRate)}`],
      };
    // A new fade has the shape that was used last.
    const fresh = fade.length === 0;
    const look = fresh ? { shape: settings().lastFade.shape, bend: bend || settings().lastFade.bend } : { bend };
    return {
      edits: length === fade.length && bend === fade.bend ? [] : [{ type: "set-fade", clipIds: clips.map((c) => c.id), edge, length, ...look }],
      after: () => {
        if (length > 0) setView({ fade: { clipId: clip.id, edge } });
        if (bend !== fade.bend) setSettings({ lastFade: { shape: fresh ? settings().lastFade.shape : fade.shape, bend } });
      },
      lines: () => [
        `fade ${edge} ${formatLength(length, doc.sampleRate)}`,
        `bend ${bend >= 0 ? "+" : "−"}${Math.abs(bend).toFixed(2)}`,
        ...flagLines(doc, position, null, target).slice(0, 1),
      ],
      shown: { lit: target && length !== fade.length ? { position: target.position, kind: target.kind } : null },
    };
  });
}

/** Dragging a seam sideways changes the fades that meet there, or the blend: both sides alike. */
export function dragSeam(doc: Document, zone: Zone, pressed: Point): Gesture {
  const seam = zone.seam as NonNullable<Zone["seam"]>;
  const { left, right, position } = seam;
  const start =
    seam.kind === "blended"
      ? (right?.fadeIn.length ?? 0)
      : Math.max(right?.start === position ? right.fadeIn.length : 0, left && clipEnd(left) === position ? left.fadeOut.length : 0);
  return editing(doc, (p): Plan => {
    const length = Math.max(0, start + Math.round(Math.abs(p.x - pressed.x) < 2 ? 0 : (p.x - pressed.x) * view().samplesPerPixel));
    if (length === start) return { edits: [], lines: () => [formatLength(start, doc.sampleRate)] };
    if (seam.kind === "blended" && right)
      return {
        edits: [{ type: "set-blend", clipId: right.id, length: Math.max(1, length) }],
        lines: () => [`blend ${formatLength(length, doc.sampleRate)}`],
      };
    // Pressed at the splice and pulled with Alt, both sides cross.
    if (p.alt && right?.start === position && left && clipEnd(left) === position)
      return {
        edits: length > 0 ? [{ type: "set-blend", clipId: right.id, with: left.id, length, place: "centred", law: "auto" }] : [],
        lines: (after) => [`blend ${formatLength(after.clips.get(right.id)?.fadeIn.length ?? 0, doc.sampleRate)}`],
      };
    const edits: Edit[] = [];
    if (left && clipEnd(left) === position && left !== right) edits.push({ type: "set-fade", clipIds: [left.id], edge: "out", length });
    if (right && right.start === position && left !== right) edits.push({ type: "set-fade", clipIds: [right.id], edge: "in", length });
    return { edits, lines: () => [`fades ${formatLength(length, doc.sampleRate)}`] };
  });
}

/** Moves the splice of a blend, and the overlap with it. */
export function dragSplice(doc: Document, right: Clip, pressed: Point): Gesture {
  const origin = right.blend?.splice ?? right.start;
  return editing(doc, (p): Plan => {
    const { position, target } = snapped(doc, {
      wanted: origin + sampleAt(p.x) - sampleAt(pressed.x),
      origin,
      except: edgesOf([right]),
      tracks: new Set([right.trackId]),
    });
    return {
      edits: position === origin ? [] : [{ type: "set-blend", clipId: right.id, splice: position }],
      lines: () => flagLines(doc, position, origin, target, "the splice moves"),
      shown: { lit: target },
    };
  });
}

/** Changes the length of a blend by one of its sides: on both sides of the splice alike when it is centred, else on that side. */
export function dragBlendSide(doc: Document, right: Clip, side: "start" | "end", pressed: Point): Gesture {
  const { blend } = right;
  const [start, end] = [right.start, right.start + right.fadeIn.length];
  const splice = blend?.splice ?? start;
  const origin = side === "start" ? start : end;
  return editing(doc, (p): Plan => {
    const { position, target } = snapped(doc, {
      wanted: origin + sampleAt(p.x) - sampleAt(pressed.x),
      origin,
      except: new Set([start, end]),
      tracks: new Set([right.trackId]),
      ...(side === "start" ? { most: splice } : { least: splice }),
    });
    const reach = Math.abs(position - splice);
    const span = side === "start" ? { start: position, end } : { start, end: position };
    const edit: Edit =
      blend?.place === "centred"
        ? { type: "set-blend", clipId: right.id, length: Math.max(1, 2 * reach) }
        : { type: "blend-range", ...span, trackIds: [right.trackId], law: blend?.law, shape: right.fadeIn.shape, bend: right.fadeIn.bend };
    return {
      edits: position === origin ? [] : [edit],
      lines: (after) => [
        `blend ${formatLength(after.clips.get(right.id)?.fadeIn.length ?? 0, doc.sampleRate)}`,
        ...flagLines(doc, position, null, target).slice(0, 1),
      ],
      shown: { lit: target },
    };
  });
}
