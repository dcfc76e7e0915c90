import { isLent, layOver, lentRest, standsOpen, withoutLent } from "../../dsp/fades";
import { hitsBetween } from "../../model/clip/hits";
import { blendAfter, type Document } from "../../model/document";
import { playedSource, playsSame } from "../../model/recipe/played-recording";
import { type Clip, clipEnd, type Fade, MOST_OVER } from "../../model/schema";
import { runsOn } from "../../seam/continuity";
import { takeBlendOff, unblended } from "../cutting/cut";
import { fadeRoom } from "../cutting/parts";
import type { Side } from "../edge-origins";
import { EditError } from "../errors";
import { blendClips, materialAt } from "../laying/crossfade";
import type { Transaction } from "../transaction";

/*
 * After every edit: edges that it laid bare get what new edges get, and what an edge got by itself goes where the audio runs on again
 * (semantics, New edges). Which edges are new is asked of the edit: each edge has come from one that was there before, or from a cut.
 */
const SIDES: readonly Side[] = ["start", "end"];

/** A fade-in that an edge gets by itself is never shorter than this many samples, wherever its attack lies. */
const LEAST_AT_ATTACK = 16;

export function passNewEdges(tx: Transaction): void {
  const touched = touchedEdges(tx);
  endLent(tx, touched);
  if (tx.edge.length === 0) return;
  const { doc } = tx;
  const fresh: Edge[] = [];
  for (const { id, side } of touched) {
    const clip = doc.clips.get(id);
    if (clip && standsOpen(fadeAt(clip, side)) && isNew(tx, clip, side)) fresh.push({ id, side });
  }
  const blended = tx.edge.blend ? blendMeeting(tx, fresh) : new Set<string>();
  const open = fresh.filter((e) => !blended.has(keyOf(e)));
  const ends = new Set(open.filter((e) => e.side === "end").map((e) => e.id));
  for (const edge of open) fadeEdge(tx, edge, edge.side === "start" && ends.has(edge.id));
}

interface Edge {
  readonly id: string;
  readonly side: Side;
}

const keyOf = ({ id, side }: Edge): string => `${id} ${side}`;
const fadeAt = (clip: Clip, side: Side): Fade => (side === "start" ? clip.fadeIn : clip.fadeOut);
const placeOf = (clip: Clip, side: Side): number => (side === "start" ? clip.start : clipEnd(clip));

/** The sample of what a clip plays that an edge cuts at. */
const momentAt = (clip: Clip, side: Side): number => (side === "start" ? clip.offset : clip.offset + clip.length);

/** The clips of a document whose other edge lies at an edge, on its track. */
function besides(doc: Document, clip: Clip, side: Side): Clip[] {
  const at = placeOf(clip, side);
  const lane = doc.lanes.get(clip.trackId);
  if (!lane) return [];
  return side === "start"
    ? lane.within(at - 1, at).filter((c) => clipEnd(c) === at && c.id !== clip.id)
    : lane.within(at, at + 1).filter((c) => c.start === at && c.id !== clip.id);
}

/** The clip that a clip's audio runs on from, or into, over an edge. */
const partnerAt = (doc: Document, clip: Clip, side: Side): Clip | undefined =>
  besides(doc, clip, side).find((other) => (side === "start" ? runsOn(doc.sources, other, clip) : runsOn(doc.sources, clip, other)));

/** Whether the edit laid an edge bare: the audio ran on there, or lay hidden there, and does so no longer. */
function isNew(tx: Transaction, clip: Clip, side: Side): boolean {
  const origin = tx.edges.of(clip.id, side);
  if (origin === "kept") return false;
  if (partnerAt(tx.doc, clip, side)) return false;
  if (origin === "new") return true;
  const was = tx.before.clips.get(origin.clipId) as Clip;
  if (!origin.slid && playsSame(was, clip) && momentAt(was, origin.side) !== momentAt(clip, side)) return true;
  return partnerAt(tx.before, was, origin.side) !== undefined;
}

/** Whether an edge is one that might get a fade, or lose one that it got by itself. */
const matters = (fade: Fade): boolean => standsOpen(fade) || isLent(fade);

/** The edges that an edit may have laid bare, or brought together again. */
function touchedEdges(tx: Transaction): Edge[] {
  const byLane = new Map<string, ReturnType<Transaction["clipChanges"]>>();
  for (const change of tx.clipChanges())
    for (const trackId of new Set([change.before?.trackId, change.after?.trackId])) {
      if (trackId === undefined) continue;
      const list = byLane.get(trackId);
      if (list) list.push(change);
      else byLane.set(trackId, [change]);
    }
  const edges: Edge[] = [];
  for (const [trackId, changes] of byLane) {
    const size = tx.before.lanes.get(trackId)?.size ?? 0;
    if (changes.length * 4 > size && size > 64) edges.push(...restlessEdges(tx, trackId, changes));
    else edges.push(...edgesNear(tx, trackId, changes));
  }
  return edges;
}

/** The edges of what changed on a track, and of what lay beside it. */
function edgesNear(tx: Transaction, trackId: string, changes: ReturnType<Transaction["clipChanges"]>): Edge[] {
  const found = new Map<string, Edge>();
  const add = (id: string, side: Side): void => void found.set(`${id} ${side}`, { id, side });
  for (const { id, before, after } of changes) {
    if (after?.trackId === trackId) for (const side of SIDES) add(id, side);
    if (before?.trackId !== trackId) continue;
    for (const other of besides(tx.before, before, "start")) add(other.id, "end");
    for (const other of besides(tx.before, before, "end")) add(other.id, "start");
  }
  return [...found.values()];
}

/** Where an edge lay, by how much what has an edge there was only moved: several that went apart, or were changed otherwise, count as no number. */
function noted(places: Map<number, number>, at: number, by: number): void {
  const had = places.get(at);
  places.set(at, had === undefined || had === by ? by : Number.NaN);
}

/**
 * Where most of a track changed, mostly by moving along: an edge whose clip went as far as all that lay beside it is where it was. One look at
 * each clip costs less than one around each change.
 */
function restlessEdges(tx: Transaction, trackId: string, changes: ReturnType<Transaction["clipChanges"]>): Edge[] {
  // Most clips of a large piece are faded at both ends: where all are, there is nothing to look for.
  const edges: Edge[] = [];
  if (!tx.doc.lanes.get(trackId)?.clips.some((c) => matters(c.fadeIn) || matters(c.fadeOut))) return edges;
  const by = new Map<string, number>();
  for (const { id, before, after } of changes) by.set(id, before && after ? moveOf(before, after) : Number.NaN);
  const [starts, ends] = [new Map<number, number>(), new Map<number, number>()];
  const lane = tx.before.lanes.get(trackId);
  for (const clip of lane?.clips ?? []) {
    const shift = by.get(clip.id) ?? 0;
    noted(starts, clip.start, shift);
    noted(ends, clipEnd(clip), shift);
  }
  const calm = (beside: number | undefined, shift: number): boolean => beside === undefined || beside === shift;
  for (const clip of lane?.clips ?? []) {
    const shift = by.get(clip.id) ?? 0;
    for (const side of SIDES) {
      const beside = side === "start" ? ends.get(clip.start) : starts.get(clipEnd(clip));
      if (!calm(beside, shift) || isLent(fadeAt(clip, side))) edges.push({ id: clip.id, side });
    }
  }
  for (const { id, before, after } of changes)
    if (after?.trackId === trackId && before?.trackId !== trackId) for (const side of SIDES) edges.push({ id, side });
  return edges;
}

/** By how much a clip was moved where nothing else was done to it; no number where something was. */
const moveOf = (before: Clip, after: Clip): number =>
  before.trackId === after.trackId &&
  before.offset === after.offset &&
  before.length === after.length &&
  before.recipe === after.recipe &&
  before.mute === after.mute &&
  before.fadeIn === after.fadeIn &&
  before.fadeOut === after.fadeOut
    ? after.start - before.start
    : Number.NaN;

/** Takes off what edges got by themselves, where the audio runs on again or an edge stands where it stood bare. */
function endLent(tx: Transaction, touched: readonly Edge[]): void {
  for (const { id, side } of touched) {
    const clip = tx.clipNow(id);
    if (!clip) continue;
    const blended = side === "start" ? clip : clip.fadeOut.length > 0 ? blendAfter(tx.doc, clip) : undefined;
    if (blended?.blend) {
      if (blended.blend.lent && tx.clipNow(blended.blend.with)) {
        const { left, right } = unblended(tx, blended);
        if (left.length >= 1 && right.length >= 1 && runsOn(tx.before.sources, left, right)) takeBlendOff(tx, blended.id);
      }
      continue;
    }
    const partner = partnerAt(tx.doc, clip, side);
    const fade = fadeAt(clip, side);
    if (partner) {
      strip(tx, clip, side);
      strip(tx, partner, facing(side));
    } else if (isLent(fade) && fade.bare === momentAt(clip, side)) {
      strip(tx, clip, side);
      tx.edges.isKept(id, side);
    }
  }
}

const facing = (side: Side): Side => (side === "start" ? "end" : "start");

/** Takes off what an edge got by itself, from `from` samples off its silent end on; where a cut divided it, from the pieces that follow too. */
function strip(tx: Transaction, clip: Clip, side: Side, from = 0): void {
  const fade = fadeAt(clip, side);
  const next = withoutLent(fade, from);
  if (next === fade) return;
  const rest = lentRest(fade, from);
  const follows = rest === null ? undefined : partnerAt(tx.doc, clip, facing(side));
  tx.setClip({ ...(tx.clipNow(clip.id) as Clip), [side === "start" ? "fadeIn" : "fadeOut"]: next });
  if (follows && rest !== null) strip(tx, follows, side, rest);
}

/** Blends new edges with the edges that they meet, where there is material. Returns the edges that are blended. */
function blendMeeting(tx: Transaction, fresh: readonly Edge[]): Set<string> {
  const blended = new Set<string>();
  for (const edge of fresh) {
    if (blended.has(keyOf(edge))) continue;
    const clip = tx.clipNow(edge.id);
    const other = clip && besides(tx.doc, clip, edge.side)[0];
    if (!clip || !other) continue;
    const [left, right] = edge.side === "start" ? [other, clip] : [clip, other];
    const meets: Edge = { id: other.id, side: facing(edge.side) };
    const faded = withoutLent(fadeAt(other, meets.side));
    if (right.blend || blendAfter(tx.doc, left) || left.mute || right.mute || !standsOpen(faded) || faded.length > 0) continue;
    if (fadeAt(clip, edge.side).length > 0) continue;
    const { length, shape, bend } = tx.edge;
    const splice = right.start;
    const has = materialAt(left, right, splice, playedSource(tx.before.sources, left)?.length ?? 0);
    const [hit] = tx.edge.attacks ? hitsBetween(tx.before.sources, right, splice, splice + length) : [];
    const after = Math.max(0, Math.min(length - Math.floor(length / 2), has.after, hit === undefined ? length : hit - splice));
    try {
      blendClips(tx, { ...left, fadeOut: { length: 0, shape, bend } }, { ...right, fadeIn: { length: 0, shape, bend } }, splice, {
        length,
        place: "free",
        law: "auto",
        linked: true,
        shape,
        bend,
        reach: { before: length - after, after },
      });
    } catch (error) {
      if (!(error instanceof EditError)) throw error;
      continue;
    }
    const [out, into] = [tx.clip(left.id), tx.clip(right.id)];
    const stood = (clip: Clip, side: Side): Partial<Fade> => {
      const bare = fresh.some((e) => e.id === clip.id && e.side === side) ? bareBefore(tx, clip, side) : momentAt(clip, side);
      return { lent: true, ...(bare !== null && { bare }) };
    };
    tx.setClip({ ...out, fadeOut: { ...out.fadeOut, ...stood(left, "end") } });
    tx.setClip({
      ...into,
      fadeIn: { ...into.fadeIn, ...stood(right, "start") },
      ...(into.blend && { blend: { ...into.blend, lent: true as const } }),
    });
    blended.add(keyOf(edge)).add(keyOf(meets));
  }
  return blended;
}

/** Gives a new edge its fade; `halves`: both edges of the clip get one, and where it is too short for two each gets half. */
function fadeEdge(tx: Transaction, { id, side }: Edge, halves: boolean): void {
  const clip = tx.clipNow(id);
  if (!clip || !standsOpen(fadeAt(clip, side))) return;
  const { length, shape, bend, lent } = tx.edge;
  const most = fadeRoom(clip, fadeAt(clip, facing(side)));
  const room = halves && most < 2 * length ? Math.ceil(most / 2) : most;
  const wanted = Math.max(0, Math.min(side === "start" ? beforeAttack(tx, clip, length) : length, room));
  const bare = bareBefore(tx, clip, side);
  const laid = layOver(fadeAt(clip, side), {
    length: wanted,
    shape,
    bend,
    ...(lent && { lent: true as const, ...(bare !== null && { bare }) }),
  });
  if (laid) tx.setClip({ ...clip, [side === "start" ? "fadeIn" : "fadeOut"]: laid });
  else
    tx.notes.push(
      `${clip.name || "A clip"} got no fade at its new ${side}: ${MOST_OVER + 1} fades lie over each other there already, and more are not kept.`,
    );
}

/** How long a fade-in may be that takes nothing from the clip's attacks. */
function beforeAttack(tx: Transaction, clip: Clip, length: number): number {
  if (!tx.edge.attacks) return length;
  const [hit] = hitsBetween(tx.before.sources, clip, clip.start, clip.start + length);
  return hit === undefined ? length : Math.max(Math.min(length, LEAST_AT_ATTACK), hit - clip.start);
}

/** Where an edge that was moved stood bare before, by itself; null where it did not. */
function bareBefore(tx: Transaction, clip: Clip, side: Side): number | null {
  const was = tx.before.clips.get(clip.id);
  if (!was || !playsSame(was, clip) || fadeAt(was, side).length > 0 || partnerAt(tx.before, was, side)) return null;
  return momentAt(was, side);
}
