import { fadeOfLength } from "../dsp/fades";
import { applyChanges, blendAfter, type Change, type Document, type Entities, type EntityKind, entityOf, PIECE_ID } from "../model/document";
import { clipProblems } from "../model/invariants";
import type { Lane } from "../model/lane";
import { type Clip, clipEnd, type Fade, NO_FADE, type Track } from "../model/schema";
import { unbroken } from "../seam/continuity";
import { EditError } from "./errors";

/** The fade that new edges get, in samples; length 0 leaves them bare. */
export type EdgeFade = Fade;

/**
 * One edit at work: it reads the document as it stands with what was set so far, and keeps for each thing it touched what it was and
 * what it is. Nothing outside sees it until `finish`.
 */
export class Transaction {
  private readonly changed: Readonly<Record<EntityKind, Map<string, Change>>> = {
    piece: new Map(),
    track: new Map(),
    clip: new Map(),
    marker: new Map(),
    section: new Map(),
    bundle: new Map(),
  };
  private current: Document;
  /** What \`current\` does not show yet; by thing, the latest last. */
  private stale = new Map<Map<string, Change>, Set<string>>();
  private ids = 0;

  constructor(
    readonly before: Document,
    /** Makes the ids of what this edit creates the same in the page and on the server. */
    private readonly key: string,
    /** The bundle that is open: new clips join it, and splitting does not divide it. */
    readonly inside: string | null = null,
    /** For each clip that a link brought in, the one that it goes along with. */
    readonly leads: ReadonlyMap<string, string> = new Map(),
  ) {
    this.current = before;
  }

  /** The fade that new edges get when the edit was given none; an edit that promises to smooth sets it. */
  ownEdge: EdgeFade = NO_FADE;

  newId(): string {
    return `${this.key}.${++this.ids}`;
  }

  /** The document with everything set so far. */
  get doc(): Document {
    if (this.stale.size) {
      const fresh: Change[] = [];
      for (const [changes, ids] of this.stale) for (const id of ids) fresh.push(changes.get(id) as Change);
      this.current = applyChanges(this.current, fresh);
      this.stale = new Map();
    }
    return this.current;
  }

  set<K extends EntityKind>(kind: K, id: string, after: Entities[K] | null): void {
    const changes = this.changed[kind];
    const earlier = changes.get(id);
    changes.set(id, { kind, id, before: earlier ? earlier.before : entityOf(this.before, kind, id), after } as Change);
    const stale = this.stale.get(changes);
    if (stale) stale.add(id);
    else this.stale.set(changes, new Set([id]));
  }

  private peek<K extends EntityKind>(kind: K, id: string): Entities[K] | null {
    const pending = this.changed[kind].get(id);
    return (pending ? pending.after : entityOf(this.before, kind, id)) as Entities[K] | null;
  }

  /** The thing as it now is. Throws EditError when it is gone. */
  private need<K extends Exclude<EntityKind, "piece">>(kind: K, id: string, path: string): Entities[K] {
    const value = this.peek(kind, id);
    if (!value) throw new EditError(`There is no ${kind} "${id}" here; it may have been deleted.`, path);
    return value;
  }

  clip = (id: string, path = "clipIds"): Clip => this.need("clip", id, path);
  track = (id: string, path = "trackId"): Track => this.need("track", id, path);
  marker = (id: string, path = "id") => this.need("marker", id, path);
  section = (id: string, path = "id") => this.need("section", id, path);
  bundle = (id: string, path = "bundleId") => this.need("bundle", id, path);
  lane = (trackId: string): Lane => this.doc.lanes.get(trackId) as Lane;

  setClip(clip: Clip): void {
    this.set("clip", clip.id, clip);
  }
  setTrack(track: Track): void {
    this.set("track", track.id, track);
  }
  setPiece(part: Partial<Document["piece"]>): void {
    this.set("piece", PIECE_ID, { ...this.doc.piece, ...part });
  }

  /** The bundles made or changed so far. */
  changedBundles(): string[] {
    return [...this.changed.bundle.keys()];
  }

  /** The clips touched so far, as they were and are. */
  clipChanges(): Extract<Change, { kind: "clip" }>[] {
    return [...this.changed.clip.values()] as Extract<Change, { kind: "clip" }>[];
  }

  /** Refits each blend to an overlap that changed, and ends it where its clips came apart. */
  private settleBlends(edge: EdgeFade): void {
    const rights = new Set<string>();
    for (const { id, before, after } of this.clipChanges()) {
      if (after?.blend) rights.add(id);
      const follower = before && blendAfter(this.before, before);
      if (follower) rights.add(follower.id);
    }
    for (const id of rights) {
      const right = this.peek("clip", id);
      if (!right?.blend) continue;
      const left = this.peek("clip", right.blend.with);
      const overlap = left ? clipEnd(left) - right.start : 0;
      const holds = left && left.trackId === right.trackId && overlap > 0 && left.start <= right.start && clipEnd(left) <= clipEnd(right);
      if (holds && left.fadeIn.length + overlap <= left.length && overlap + right.fadeOut.length <= right.length) {
        this.setClip({ ...right, fadeIn: fadeOfLength(right.fadeIn, overlap) });
        this.setClip({ ...left, fadeOut: fadeOfLength(left.fadeOut, overlap) });
      } else {
        this.setClip({ ...right, blend: null, fadeIn: fitted(edge, right.length - right.fadeOut.length) });
        if (left && left.fadeOut.length > 0) this.setClip({ ...left, fadeOut: fitted(edge, left.length - left.fadeIn.length) });
      }
    }
  }

  /**
   * Gives the edge fade to every bare edge that is new: of a new clip, moved by a trim, or parted from what ran on into it. Only bare
   * edges are looked into, so that moving a whole piece along costs little.
   */
  private fadeNewEdges(edge: EdgeFade): void {
    if (edge.length === 0) return;
    // Fades don't move anything: one look at where the clips lie serves the whole loop.
    const { doc, before } = this;
    const changed = this.changed.clip;
    /** Whether a clip as it was is one that changed, or lay beside one. */
    const touched = (clip: Clip): boolean =>
      changed.has(clip.id) ||
      (before.lanes
        .get(clip.trackId)
        ?.within(clip.start - 1, clipEnd(clip) + 1)
        .some((c) => changed.has(c.id)) ??
        false);
    const lanes = { before: new Set<string>(), after: new Set<string>() };
    for (const change of this.clipChanges()) {
      if (change.before) lanes.before.add(change.before.trackId);
      if (change.after) lanes.after.add(change.after.trackId);
    }
    const bare: [Clip, Side][] = [];
    for (const id of new Set([...lanes.before, ...lanes.after]))
      for (const clip of doc.lanes.get(id)?.clips ?? []) {
        if ((clip.fadeIn.length > 0 && clip.fadeOut.length > 0) || !(changed.has(clip.id) || touched(clip))) continue;
        for (const side of SIDES) if (fadeAt(clip, side).length === 0 && !joins(doc, clip, side)) bare.push([clip, side]);
      }
    if (bare.length === 0) return;
    // Edges that were there before, by the moment of the recording: a split's right half takes over its clip's old end.
    const wanted = new Map<string, Set<number>>();
    for (const [clip, side] of bare) {
      const key = `${side} ${clip.sourceId}`;
      const moments = wanted.get(key);
      if (moments) moments.add(momentOf(clip, side));
      else wanted.set(key, new Set([momentOf(clip, side)]));
    }
    const old = new Set<string>();
    for (const id of lanes.before)
      for (const clip of before.lanes.get(id)?.clips ?? [])
        for (const side of SIDES)
          if (wanted.get(`${side} ${clip.sourceId}`)?.has(momentOf(clip, side)) && touched(clip) && !joins(before, clip, side))
            old.add(edgeKey(clip, side));
    for (const [{ id }, side] of bare) {
      const clip = this.peek("clip", id);
      if (!clip || old.has(edgeKey(clip, side))) continue;
      if (side === "start") this.setClip({ ...clip, fadeIn: fitted(edge, clip.length - clip.fadeOut.length) });
      else this.setClip({ ...clip, fadeOut: fitted(edge, clip.length - clip.fadeIn.length) });
    }
  }

  /** Lifts every touched clip that would share a layer with one it overlaps, so that which is heard never hangs on a tie. */
  private settleLayers(): void {
    for (const { id } of this.clipChanges()) {
      const clip = this.peek("clip", id);
      if (!clip) continue;
      const others = this.lane(clip.trackId)
        .within(clip.start, clipEnd(clip))
        .filter((c) => c.id !== id && c.blend?.with !== id && clip.blend?.with !== c.id);
      if (others.some((c) => c.layer === clip.layer)) this.setClip({ ...clip, layer: Math.max(...others.map((c) => c.layer)) + 1 });
    }
  }

  /** Makes blends and new edges true after what was done. */
  settleEdges(edge: EdgeFade = this.ownEdge): void {
    this.settleBlends(edge);
    this.fadeNewEdges(edge);
  }

  /** Checks every touched clip and hands over the result. Throws EditError where an invariant would break. */
  finish(): { doc: Document; changes: Change[] } {
    this.settleLayers();
    const doc = this.doc;
    for (const { after } of this.clipChanges()) {
      const wrong = after ? clipProblems(doc, after) : [];
      if (wrong.length) throw new EditError(`This can't be done: ${wrong[0]}.`, "clipIds");
    }
    const changes = Object.values(this.changed).flatMap((list) => [...list.values()].filter((c) => !alike(c.before, c.after)));
    return { doc: changes.length ? doc : this.before, changes };
  }
}

/** Whether two values hold the same, all the way down. */
function alike(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (typeof a !== "object" || typeof b !== "object" || a === null || b === null) return false;
  const [x, y] = [a as Record<string, unknown>, b as Record<string, unknown>];
  for (const key in x) if (!alike(x[key], y[key])) return false;
  for (const key in y) if (x[key] === undefined && y[key] !== undefined) return false;
  return true;
}

const SIDES = ["start", "end"] as const;
type Side = (typeof SIDES)[number];

const fadeAt = (clip: Clip, side: Side): Fade => (side === "start" ? clip.fadeIn : clip.fadeOut);
/** The moment of its recording that a clip's edge cuts at. */
const momentOf = (clip: Clip, side: Side): number => (side === "start" ? clip.offset : clip.offset + clip.length);
/** Names an edge by that moment. */
const edgeKey = (clip: Clip, side: Side): string => `${clip.sourceId} ${side} ${momentOf(clip, side)}`;

/** The edge fade, no longer than there is room for. */
function fitted(edge: EdgeFade, room: number): Fade {
  return fadeOfLength(edge, Math.max(0, Math.min(edge.length, room)));
}

/** Whether the recording runs on over this edge into the clip beside it. */
function joins(doc: Document, clip: Clip, edge: "start" | "end"): boolean {
  const at = edge === "start" ? clip.start : clipEnd(clip);
  const lane = doc.lanes.get(clip.trackId);
  if (!lane) return false;
  const beside = edge === "start" ? lane.within(at - 1, at).filter((c) => clipEnd(c) === at) : lane.within(at, at + 1).filter((c) => c.start === at);
  return beside.some((other) => (edge === "start" ? unbroken(other, clip) : unbroken(clip, other)));
}
