import { z } from "zod";
import { type Clip, clipEnd, Dye, Id, Length, MOST_LANES, Name, NewId, NO_FADE, nameOf, Position, type TakeLane } from "../../../model/schema";
import { objectOf } from "../../bundles/members";
import { takeBlendOff } from "../../cutting/cut";
import { sliceOf } from "../../cutting/parts";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { NOTHING, WINDOW } from "../../law";
import {
  BorderLength,
  blendBorder,
  clearPicks,
  fillHoles,
  laidClip,
  laneOf,
  pickFrom,
  picksOf,
  repick,
  setLanes,
  stackOf,
  stacksAlike,
  takeClip,
  withSlivers,
} from "../../takes/lanes";
import type { Transaction } from "../../transaction";

/** The stretches of what is heard of clips that lie over each other: at each moment the highest that is not muted; in order. */
function heard(clips: readonly Clip[]): { clip: Clip; from: number; to: number }[] {
  const places = [...new Set(clips.flatMap((c) => [c.start, clipEnd(c)]))].sort((a, b) => a - b);
  const out: { clip: Clip; from: number; to: number }[] = [];
  for (let i = 0; i + 1 < places.length; i++) {
    const over = clips.filter((c) => c.start <= places[i] && clipEnd(c) > places[i]);
    const audible = over.filter((c) => !c.mute);
    const [top] = (audible.length > 0 ? audible : over).sort((a, b) => b.layer - a.layer || b.start - a.start);
    if (!top) continue;
    const last = out.at(-1);
    if (last?.clip === top && last.to === places[i]) last.to = places[i + 1];
    else out.push({ clip: top, from: places[i], to: places[i + 1] });
  }
  return out;
}

/** Clips in lanes: those of one layer that do not overlap share one. */
function lanesOf(
  tx: Transaction,
  clips: readonly Clip[],
  from: number,
  ids: readonly string[],
): { lanes: TakeLane[]; laneOfClip: Map<string, string> } {
  const lanes: { layer: number; clips: Clip[] }[] = [];
  for (const clip of [...clips].sort((a, b) => a.layer - b.layer || a.start - b.start)) {
    const lane = lanes.find((l) => l.layer === clip.layer && clipEnd(l.clips.at(-1) as Clip) <= clip.start);
    if (lane) lane.clips.push(clip);
    else lanes.push({ layer: clip.layer, clips: [clip] });
  }
  if (new Set(ids).size < ids.length) throw new EditError("Lanes have ids of their own.", "laneIds");
  if (lanes.length > MOST_LANES) throw new EditError(`A take stack has at most ${MOST_LANES} lanes.`, "clipIds");
  const laneOfClip = new Map<string, string>();
  const made = lanes.map(({ clips: own }, i): TakeLane => {
    const id = ids[i] ?? tx.newId();
    for (const c of own) laneOfClip.set(c.id, id);
    return { id, name: nameOf(own[0].name || `Take ${i + 1}`), color: null, rating: 0, hidden: false, clips: own.map((c) => takeClip(c, from)) };
  });
  return { lanes: made, laneOfClip };
}

/** Makes one track's clips a take stack of what is heard of them. Returns its id. */
function stackTrack(tx: Transaction, clips: readonly Clip[], name: string, border: number, laneIds: readonly string[], id = tx.newId()): string {
  for (const clip of clips) {
    const object = objectOf(tx.doc, clip, tx.inside);
    if (object) throw new EditError(`${clip.name || "A clip"} lies in ${object.name || "a bundle"}: release it first.`, "clipIds");
  }
  for (const { id: one } of clips) if (tx.doc.clips.has(one)) takeBlendOff(tx, one);
  for (const c of [...tx.lane(clips[0].trackId).clips]) if (c.blend && clips.some((x) => x.id === c.blend?.with)) takeBlendOff(tx, c.id);
  const now = clips.flatMap((c) => tx.doc.clips.get(c.id) ?? []);
  const start = Math.min(...now.map((c) => c.start));
  const { lanes, laneOfClip } = lanesOf(tx, now, start, laneIds);
  if (lanes.length < 2) throw new EditError("Takes lie over each other: name clips of a track that overlap in time.", "clipIds");
  const top = Math.max(...now.map((c) => c.layer));
  const bundle = { id, name: nameOf(name), color: null, parent: tx.inside, pattern: null, start, trackId: now[0].trackId, takes: lanes };
  const stretches = heard(now);
  // What was not named and lay over a take lies over its picks; elsewhere all picks share the highest layer.
  const others = tx.lane(bundle.trackId).clips.filter((c) => !now.some((n) => n.id === c.id));
  const layerOf = ({ clip, from, to }: (typeof stretches)[number]): number =>
    others.some((c) => c.start < to && clipEnd(c) > from && c.layer > clip.layer && c.layer < top) ? clip.layer : top;
  tx.set("bundle", id, bundle);
  for (const c of now) tx.set("clip", c.id, null);
  // The lanes have what is not heard; of what is heard each first stretch keeps its clip's id.
  const used = new Set<string>();
  for (const stretch of stretches) {
    const { clip, from, to } = stretch;
    const laneId = laneOfClip.get(clip.id) as string;
    const lane = lanes.find((l) => l.id === laneId) as TakeLane;
    const first = !used.has(clip.id);
    used.add(clip.id);
    const whole = laidClip(bundle, lane, takeClip(clip, start), first ? clip.id : tx.newId(), layerOf(stretch));
    const slice = sliceOf(whole, from, to) as Clip;
    tx.setClip({ ...slice, sync: null });
    if (from > clip.start) tx.edges.isNew(slice.id, "start");
    if (to < clipEnd(clip)) tx.edges.isNew(slice.id, "end");
  }
  blendAll(tx, id, border);
  return id;
}

/** Blends every border between picks that are not blended yet. */
function blendAll(tx: Transaction, stackId: string, border: number): void {
  const stack = stackOf(tx, stackId);
  const picks = picksOf(tx.doc, stack);
  for (let i = 1; i < picks.length; i++) {
    const [left, right] = [tx.clip(picks[i - 1].id), tx.clip(picks[i].id)];
    if (clipEnd(left) !== right.start || right.blend) continue;
    tx.edges.isNew(left.id, "end");
    tx.edges.isNew(right.id, "start");
    blendBorder(tx, left.id, right.id, border);
  }
}

/** Clips of tracks that are linked to those of some takes, over the same span, where they lie over each other too. */
function linkedTakes(tx: Transaction, named: readonly Clip[]): Clip[] {
  if (!tx.links) return [];
  const on = new Set(named.map((c) => c.trackId));
  const links = new Set([...on].map((t) => tx.doc.tracks.get(t)?.link ?? null).filter((l) => l !== null));
  const [from, to] = [Math.min(...named.map((c) => c.start)), Math.max(...named.map(clipEnd))];
  return [...tx.doc.tracks.values()].flatMap((track) => {
    if (on.has(track.id) || track.link === null || !links.has(track.link)) return [];
    const clips = tx.lane(track.id).within(from, to);
    return clips.some((a) => clips.some((b) => a !== b && a.start < clipEnd(b) && b.start < clipEnd(a) && a.layer !== b.layer)) ? clips : [];
  });
}

export const stackTakes = defineEdit({
  type: "stack-takes",
  law: { sound: "stack", fields: WINDOW },
  about:
    "Makes clips that lie over each other a take stack: each becomes a lane under the track, and what is heard of them its picks. On several tracks each has a stack of its own.",
  params: z.object({
    id: NewId.optional(),
    clipIds: ClipIds,
    name: Name.optional(),
    border: BorderLength,
    laneIds: z.array(NewId).max(MOST_LANES).optional().describe("ids of the first track's lanes, from the lowest layer up"),
  }),
  example: { type: "stack-takes", id: "stack-new", clipIds: ["clip-7", "clip-8"], border: 0, laneIds: ["take-a", "take-b"] },
  apply(tx, { id, clipIds, name, border, laneIds = [] }) {
    const named = [...new Set(clipIds)].map((c) => tx.clip(c));
    const clips = [...named, ...linkedTakes(tx, named)];
    if (id !== undefined && tx.doc.bundles.has(id)) throw new EditError(`There is already a bundle "${id}".`, "id");
    const tracks = tx.doc.piece.trackOrder.filter((t) => clips.some((c) => c.trackId === t));
    for (const [i, trackId] of tracks.entries()) {
      const own = clips.filter((c) => c.trackId === trackId);
      stackTrack(
        tx,
        own,
        name ?? `Takes of ${tx.doc.tracks.get(trackId)?.name || "the track"}`,
        border,
        i === 0 ? laneIds : [],
        i === 0 ? id : undefined,
      );
    }
    return `Stack ${countNames(
      clips.map((c) => c.name),
      "take",
    )}`;
  },
});

export const pick = defineEdit({
  type: "pick",
  law: { sound: "stack", fields: WINDOW },
  about:
    "Picks a stretch of a take stack from one of its lanes; its borders with the other picks are blended. Where the lane has no sound, what was picked stays; what would be left of another pick, shorter than a border's blend, is picked with it. Stacks of linked tracks pick from the same lane.",
  params: z
    .object({ bundleId: Id, laneId: Id, start: Position, end: Position, border: BorderLength })
    .refine((p) => p.end > p.start, { message: "A stretch ends after it starts.", path: ["end"] }),
  example: { type: "pick", bundleId: "stack-1", laneId: "take-1", start: 606000, end: 624000 },
  apply(tx, { bundleId, laneId, start, end, border }) {
    const stack = stackOf(tx, bundleId);
    const index = stack.takes.indexOf(laneOf(stack, laneId));
    const { name } = stack.takes[index];
    let any = false;
    for (const one of stacksAlike(tx, bundleId))
      repick(tx, one.id, { length: border }, () => {
        const [from, to] = withSlivers(tx, one.id, start, end, border);
        any = pickFrom(tx, one.id, one.takes[index].id, from, to) || any;
      });
    if (!any) throw new EditError(`${name || "The lane"} has no sound there.`, "start");
    return `Pick ${name || "a take"}`;
  },
});

export const setLane = defineEdit({
  type: "set-lane",
  law: { sound: "nowhere", fields: NOTHING, lays: "none" },
  about: "Names, colours, rates (0 to 5) or hides a lane of a take stack.",
  params: z.object({
    bundleId: Id,
    laneId: Id,
    name: Name.optional(),
    color: Dye.nullable().optional(),
    rating: z.int().min(0).max(5).optional(),
    hidden: z.boolean().optional(),
  }),
  example: { type: "set-lane", bundleId: "stack-1", laneId: "take-1", rating: 4 },
  apply(tx, { bundleId, laneId, ...to }) {
    const stack = stackOf(tx, bundleId);
    const lane = laneOf(stack, laneId);
    const fields = Object.fromEntries(Object.entries(to).filter(([, v]) => v !== undefined));
    setLanes(
      tx,
      stack,
      stack.takes.map((l) => (l === lane ? { ...l, ...fields } : l)),
    );
    return `${to.rating !== undefined ? "Rate" : to.hidden !== undefined ? (to.hidden ? "Hide" : "Show") : to.name !== undefined ? "Rename" : "Colour"} ${to.name ?? lane.name}`;
  },
});

export const moveLane = defineEdit({
  type: "move-lane",
  law: { sound: "stack", fields: WINDOW },
  about: "Moves all of a lane's sound earlier or later inside its take stack; its picks stay where they are and play what lies there now.",
  params: z.object({
    bundleId: Id,
    laneId: Id,
    by: z
      .int()
      .min(-(2 ** 40))
      .max(2 ** 40)
      .describe("samples; later is positive"),
    border: BorderLength,
  }),
  example: { type: "move-lane", bundleId: "stack-1", laneId: "take-2", by: 480 },
  apply(tx, { bundleId, laneId, by, border }) {
    const first = stackOf(tx, bundleId);
    const index = first.takes.indexOf(laneOf(first, laneId));
    for (const stack of stacksAlike(tx, bundleId)) {
      const lane = stack.takes[index];
      repick(tx, stack.id, { length: border }, () => {
        const held = picksOf(tx.doc, stack).filter((c) => c.take === lane.id);
        for (const { start, length } of held) clearPicks(tx, stack.id, start, start + length);
        setLanes(
          tx,
          stack,
          stack.takes.map((l) => (l === lane ? { ...l, clips: l.clips.map((c) => ({ ...c, at: c.at + by })) } : l)),
        );
        for (const { start, length } of held) pickFrom(tx, stack.id, lane.id, start, start + length);
        // What it no longer has there, and has now elsewhere, the holes tell.
        fillHoles(tx, stack.id);
      });
    }
    return `Move ${first.takes[index].name || "a take"}`;
  },
});

export const addLane = defineEdit({
  type: "add-lane",
  law: { sound: "stack", fields: WINDOW },
  about: "Adds a recording to a take stack as a new lane. It is picked only where no other lane has sound.",
  params: z.object({
    bundleId: Id,
    id: NewId.optional(),
    sourceId: Id,
    at: Position.describe("where its first sample lies"),
    offset: Position.default(0),
    length: Length.optional().describe("left out, to the recording's end"),
    name: Name.optional(),
    border: BorderLength,
  }),
  example: { type: "add-lane", bundleId: "stack-1", id: "take-new", sourceId: "source-1", at: 600000 },
  apply(tx, { bundleId, id, sourceId, at, offset, length, name, border }) {
    const stack = stackOf(tx, bundleId);
    const source = tx.before.sources.get(sourceId);
    if (!source) throw new EditError(`There is no recording "${sourceId}" that is ready.`, "sourceId");
    if (offset >= source.length) throw new EditError(`${source.name} ends before that.`, "offset");
    if (stack.takes.length >= MOST_LANES) throw new EditError(`A take stack has at most ${MOST_LANES} lanes.`, "bundleId");
    if (id !== undefined && stack.takes.some((l) => l.id === id)) throw new EditError(`There is already a lane "${id}".`, "id");
    const called = nameOf(name ?? source.name);
    const clip = {
      at: at - stack.start,
      sourceId,
      offset,
      length: Math.min(length ?? source.length, source.length - offset),
      name: called,
      color: null,
      gain: 0,
      pan: 0,
      mute: false,
      fadeIn: NO_FADE,
      fadeOut: NO_FADE,
      sync: null,
    };
    setLanes(tx, stack, [...stack.takes, { id: id ?? tx.newId(), name: called, color: null, rating: 0, hidden: false, clips: [clip] }]);
    repick(tx, bundleId, { length: border }, () => fillHoles(tx, bundleId));
    return `Add ${called} to ${stack.name || "the takes"}`;
  },
});

export const removeLane = defineEdit({
  type: "remove-lane",
  law: { sound: "stack", fields: WINDOW },
  about: "Takes a lane out of a take stack; where it was picked the first lane that has sound takes its place.",
  params: z.object({ bundleId: Id, laneId: Id, border: BorderLength }),
  example: { type: "remove-lane", bundleId: "stack-1", laneId: "take-2" },
  apply(tx, { bundleId, laneId, border }) {
    const stack = stackOf(tx, bundleId);
    const lane = laneOf(stack, laneId);
    if (stack.takes.length === 1) throw new EditError("It is the last lane: release the stack, or delete it.", "laneId");
    setLanes(
      tx,
      stack,
      stack.takes.filter((l) => l !== lane),
    );
    repick(tx, bundleId, { length: border }, () => {
      for (const c of picksOf(tx.doc, stack)) if (c.take === laneId) clearPicks(tx, bundleId, c.start, clipEnd(c));
      fillHoles(tx, bundleId);
    });
    return `Remove ${lane.name || "a take"}`;
  },
});

export const flatten = defineEdit({
  type: "flatten",
  law: { sound: "nowhere", fields: ["bundle", "take"], lays: "none" },
  about: "Makes a take stack plain clips: its picks stay just as they are, and its lanes go. What is heard is the same.",
  params: z.object({ bundleId: Id }),
  example: { type: "flatten", bundleId: "stack-1" },
  apply(tx, { bundleId }) {
    const stacks = stacksAlike(tx, bundleId);
    for (const stack of stacks) {
      for (const { take: _, ...clip } of picksOf(tx.doc, stack)) tx.setClip({ ...clip, bundle: stack.parent });
      tx.set("bundle", stack.id, null);
    }
    return `Flatten ${stacks[0].name || "the takes"}`;
  },
});

export const openOut = defineEdit({
  type: "open-out",
  law: { sound: "stack", fields: WINDOW },
  about: "Puts every lane of a take stack on a track of its own: the first stays where it is, the others go below it.",
  params: z.object({ bundleId: Id }),
  example: { type: "open-out", bundleId: "stack-1" },
  apply(tx, { bundleId }) {
    const stacks = stacksAlike(tx, bundleId);
    for (const stack of stacks) {
      const picks = picksOf(tx.doc, stack);
      const layer = Math.max(0, ...picks.map((c) => c.layer));
      for (const c of picks) tx.set("clip", c.id, null);
      const like = tx.doc.tracks.get(stack.trackId);
      if (!like) throw new EditError("The stack's track is gone.", "bundleId");
      for (const [i, lane] of stack.takes.entries()) {
        let trackId = stack.trackId;
        if (i > 0) {
          trackId = tx.newId();
          tx.setTrack({
            ...like,
            id: trackId,
            name: nameOf(lane.name || `${like.name} ${i + 1}`),
            color: lane.color ?? like.color,
            link: null,
            solo: false,
            hidden: lane.hidden,
          });
          const order = [...tx.doc.piece.trackOrder];
          order.splice(order.indexOf(stack.trackId) + i, 0, trackId);
          tx.setPiece({ trackOrder: order });
        }
        for (const c of lane.clips) {
          const { take: _, ...laid } = laidClip(stack, lane, c, tx.newId(), i === 0 ? layer : 0);
          // What lies before the piece's beginning can't be laid.
          const shown = sliceOf(laid, 0, Number.MAX_SAFE_INTEGER);
          if (shown) tx.setClip({ ...shown, trackId, bundle: stack.parent });
        }
      }
      tx.set("bundle", stack.id, null);
    }
    return `Open out ${stacks[0].name || "the takes"}`;
  },
});
