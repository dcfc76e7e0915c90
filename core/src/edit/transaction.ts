import { bareFade, fadeOfLength, fadeQuietPart, layOver, standsOpen } from "../dsp/fades";
import {
  applyChanges,
  blendAfter,
  type Change,
  type Document,
  type Entities,
  type EntityKind,
  entityOf,
  PIECE_ID,
  timebaseOf,
} from "../model/document";
import { copiedClip, evenClip, movedClip } from "../model/even";
import { clipProblems, NOTHING_WRONG } from "../model/invariants";
import { Lane } from "../model/lane";
import { playedId, playsSame } from "../model/played";
import { unreadable } from "../model/readable";
import { type Clip, clipEnd, type Fade, NO_FADE, type Track } from "../model/schema";
import { unbroken } from "../seam/continuity";
import { EditError } from "./errors";
import { fadeRoom, withEnd, withStart } from "./parts";

type ClipChange = Extract<Change, { kind: "clip" }>;

/** One thing that an edit touched: what it was, what it is by now, what the document at hand holds in its place, and whether that is still so. */
interface Touched {
  readonly kind: EntityKind;
  readonly id: string;
  readonly before: Entities[EntityKind] | null;
  after: Entities[EntityKind] | null;
  held: Entities[EntityKind] | null;
  shown: boolean;
}

/** The fade that new edges get, in samples; length 0 leaves them bare. */
export type EdgeFade = Fade;

/**
 * One edit at work: it reads the document as it stands with what was set so far, and keeps for each thing it touched what it was and
 * what it is. Nothing outside sees it until `finish`.
 */
export class Transaction {
  private readonly changed: Readonly<Record<EntityKind, Map<string, Touched>>> = {
    piece: new Map(),
    track: new Map(),
    clip: new Map(),
    marker: new Map(),
    section: new Map(),
    bundle: new Map(),
  };
  private current: Document;
  /** What `current` does not show yet. */
  private stale: Touched[] = [];
  private ids = 0;

  constructor(
    readonly before: Document,
    /** Makes the ids of what this edit creates the same in the page and on the server. */
    private readonly key: string,
    {
      inside = null,
      leads = new Map(),
      edge,
      scratch = new Map(),
      links = true,
    }: {
      /** The bundle that is open: new clips join it, and splitting does not divide it. */
      readonly inside?: string | null;
      /** For each clip that a link brought in, the one that it goes along with. */
      readonly leads?: ReadonlyMap<string, string>;
      /** The fade that new edges get, as the edit was given it. */
      readonly edge?: EdgeFade;
      /** What the edits of one batch remember for those after them, so that each need not look through everything again. */
      readonly scratch?: Map<string, number>;
      /** Whether linked tracks are edited together; suspended, each is on its own. */
      readonly links?: boolean;
    } = {},
  ) {
    this.current = before;
    this.inside = inside;
    this.leads = leads;
    this.given = edge;
    this.scratch = scratch;
    this.links = links;
  }

  readonly scratch: Map<string, number>;
  readonly links: boolean;
  readonly inside: string | null;
  readonly leads: ReadonlyMap<string, string>;
  private readonly given: EdgeFade | undefined;
  /** The fade that new edges get where the edit was given none; an edit that promises to smooth sets it. */
  ownEdge: EdgeFade = NO_FADE;
  /** The fade that new edges get. */
  get edge(): EdgeFade {
    return this.given ?? this.ownEdge;
  }
  /** What could not be done though the edit was, in words: what was left, and why. */
  readonly notes: string[] = [];
  /** Edges whose state an edit knows better than can be told by looking: laid anew, or copied as they were. */
  private readonly edges: Readonly<Record<Side, Map<string, "new" | "kept">>> = { start: new Map(), end: new Map() };

  edgeIsNew(clipId: string, side: Side): void {
    this.edges[side].set(clipId, "new");
  }
  edgeIsKept(clipId: string, side: Side): void {
    this.edges[side].set(clipId, "kept");
  }

  edgeState = (clipId: string, side: Side): "new" | "kept" | undefined => this.edges[side].get(clipId);

  private idAt(n: number): string {
    return `${this.key}.${n}`;
  }
  private isTaken(n: number): boolean {
    const id = this.idAt(n);
    for (const kind of KINDS)
      if ((this.changed[kind].size > 0 && this.changed[kind].has(id)) || entityOf(this.before, kind, id) !== null) return true;
    return false;
  }

  /** An id for a new thing. One that is there already is never given again, whatever keys edits were sent with. */
  newId(): string {
    let free = this.ids + 1;
    if (this.isTaken(free)) {
      // Thousands may be taken by edits with the same key: a free one is looked for in steps that double, then between the last two.
      let last = free;
      for (let step = 1; this.isTaken(free); step *= 2) {
        last = free;
        free += step;
      }
      while (free - last > 1) {
        const middle = (last + free) >> 1;
        if (this.isTaken(middle)) last = middle;
        else free = middle;
      }
    }
    this.ids = free;
    return this.idAt(free);
  }

  /** The document with everything set so far. */
  get doc(): Document {
    if (this.stale.length) {
      this.current = applyChanges(this.current, this.stale as (Touched & Change)[]);
      for (const touched of this.stale) {
        touched.shown = true;
        touched.held = touched.after;
      }
      this.stale = [];
    }
    return this.current;
  }

  /** `untouched`: the thing as it was, for those who have it at hand, in case that nothing was done to it yet. */
  set<K extends EntityKind>(kind: K, id: string, after: Entities[K] | null, untouched?: Entities[K]): void {
    const changes = this.changed[kind];
    let touched = changes.get(id);
    if (!touched) {
      const before = untouched ?? entityOf(this.before, kind, id);
      touched = { kind, id, before, after, held: before, shown: true };
      changes.set(id, touched);
    } else touched.after = after;
    if (!touched.shown) return;
    touched.shown = false;
    this.stale.push(touched);
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

  /** Sets a clip, with what of it is to be different. */
  setClip(clip: Clip, different?: Partial<Clip>): void {
    const even = evenClip(clip, different);
    this.set("clip", even.id, even);
  }
  /** Moves a clip of the document at hand. */
  moveClip(clip: Clip, by: number): void {
    this.set("clip", clip.id, movedClip(clip, by), clip);
  }
  /** Sets a copy of a clip, with an id of its own. */
  copyClip(clip: Clip, own: Parameters<typeof copiedClip>[1]): void {
    const original = this.before.clips.get(clip.id);
    if (original) this.originals.set(own.id, original);
    this.set("clip", own.id, copiedClip(clip, own));
  }
  /** For copies that of which they are, as it was before. */
  private readonly originals = new Map<string, Clip>();
  setTrack(track: Track): void {
    this.set("track", track.id, track);
  }
  setPiece(part: Partial<Document["piece"]>): void {
    this.set("piece", PIECE_ID, { ...(this.peek("piece", PIECE_ID) as Document["piece"]), ...part });
  }

  /** The bundles made or changed so far. */
  changedBundles(): string[] {
    return [...this.changed.bundle.keys()];
  }

  /** The clips touched so far, as they were and are. */
  clipChanges(): ClipChange[] {
    return [...this.changed.clip.values()] as ClipChange[];
  }

  /** Refits each blend to an overlap that changed, and ends it where its clips came apart. */
  private settleBlends(): void {
    const rights = new Set<string>();
    for (const { id, before, after } of this.changed.clip.values() as Iterable<ClipChange>) {
      if (after?.blend || before?.blend) rights.add(id);
      // A blend's earlier clip fades out.
      const follower =
        before && before.fadeOut.length > 0 && laneOf(this.before, before.trackId).hasBlends ? blendAfter(this.before, before) : undefined;
      if (follower) rights.add(follower.id);
    }
    for (const id of rights) {
      const right = this.peek("clip", id);
      if (!right) this.endTail(this.before.clips.get(id));
      if (!right?.blend) continue;
      const left = this.peek("clip", right.blend.with);
      const overlap = left ? clipEnd(left) - right.start : 0;
      const holds = left && left.trackId === right.trackId && overlap > 0 && left.start <= right.start && clipEnd(left) <= clipEnd(right);
      if (holds && left.fadeIn.length + overlap <= left.length && overlap + right.fadeOut.length <= right.length) {
        this.setClip({ ...right, fadeIn: fadeOfLength(right.fadeIn, overlap) });
        this.setClip({ ...left, fadeOut: fadeOfLength(left.fadeOut, overlap) });
      } else this.endBlend(left, right);
    }
  }

  /** Puts what is left of a blend back to its splice, each clip to the moment of its own recording that lay there; the edges are new. */
  private endBlend(left: Clip | null, right: Clip): void {
    const was = this.before.clips.get(right.id);
    const wasLeft = was?.blend ? this.before.clips.get(was.blend.with) : undefined;
    const back = withStart(right, Math.max(right.start, spliceIn(right, was ?? right, was)));
    // What an edit cut away beyond the splice stays away.
    const next = back.length >= 1 ? back : right;
    this.setClip({ ...next, fadeIn: bareFade(right.fadeIn), blend: null });
    this.edgeIsNew(right.id, "start");
    if (left && left.fadeOut.length > 0) this.endAt(left, wasLeft && was ? spliceIn(left, wasLeft, was) : clipEnd(left));
  }

  /** Puts the end of what a blend went out from, whose later clip is gone, back to its splice. */
  private endTail(was: Clip | undefined): void {
    const wasLeft = was?.blend ? this.before.clips.get(was.blend.with) : undefined;
    if (!was || !wasLeft) return;
    // A cut may have left the end to a piece of its own.
    const isTail = (c: Clip | null): c is Clip =>
      c !== null && playsSame(c, wasLeft) && c.offset + c.length === wasLeft.offset + wasLeft.length && c.fadeOut.length === wasLeft.fadeOut.length;
    const own = this.peek("clip", wasLeft.id);
    const tail = isTail(own) ? own : this.clipChanges().find((c) => !c.before && isTail(c.after))?.after;
    if (tail) this.endAt(tail, spliceIn(tail, wasLeft, was));
  }

  private endAt(left: Clip, splice: number): void {
    const end = Math.min(clipEnd(left), splice);
    this.setClip({ ...(end > left.start ? withEnd(left, end) : left), fadeOut: bareFade(left.fadeOut) });
    this.edgeIsNew(left.id, "end");
  }

  /** Those of some kind among the clips of a lane, as they were, that changed or lay beside one that did. */
  private touchedOn(trackId: string, changes: readonly ClipChange[], kind: (clip: Clip) => boolean): Clip[] {
    const lane = laneOf(this.before, trackId);
    const changed = this.changed.clip;
    const beside = (clip: Clip): Clip[] => lane.within(clip.start - 1, clipEnd(clip) + 1);
    // Where much of a lane changed, one look at each of its clips costs less than one around each change.
    if (isMuch(changes, lane)) return lane.clips.filter((c) => kind(c) && (changed.has(c.id) || beside(c).some((o) => changed.has(o.id))));
    const touched = new Set<Clip>();
    for (const { before } of changes) if (before?.trackId === trackId) for (const clip of beside(before)) if (kind(clip)) touched.add(clip);
    return [...touched];
  }

  /**
   * Gives the edge fade to every edge that stands open and is new: of a new clip, moved by a trim, or parted from what ran on into it. A
   * clip too short for two of them gives each half.
   */
  private fadeNewEdges(): void {
    const { edge } = this;
    if (edge.length === 0) return;
    // Fades don't move anything: one look at where the clips lie serves the whole loop.
    const { doc, before } = this;
    const changed = this.changed.clip;
    const byLane = new Map<string, ClipChange[]>();
    const gather = (trackId: string, change: ClipChange): void => {
      const list = byLane.get(trackId);
      if (list) list.push(change);
      else byLane.set(trackId, [change]);
    };
    for (const change of this.clipChanges()) {
      if (change.before) gather(change.before.trackId, change);
      if (change.after && change.after.trackId !== change.before?.trackId) gather(change.after.trackId, change);
    }
    const open: [Clip, Side][] = [];
    const look = (clip: Clip): void => {
      for (const side of SIDES) if (standsOpen(fadeAt(clip, side)) && !joins(doc, clip, side)) open.push([clip, side]);
    };
    for (const [trackId, changes] of byLane) {
      const lane = laneOf(doc, trackId);
      if (isMuch(changes, lane)) {
        // Most clips of a large piece are faded at both ends: they are passed over at one glance.
        const bare = lane.clips.filter((c) => standsOpen(c.fadeIn) || standsOpen(c.fadeOut));
        const ids = new Set(bare.filter((c) => !changed.has(c.id)).map((c) => c.id));
        const near = ids.size ? new Set(this.touchedOn(trackId, changes, (c) => ids.has(c.id)).map((c) => c.id)) : ids;
        for (const clip of bare) if (changed.has(clip.id) || near.has(clip.id)) look(clip);
        continue;
      }
      const now = new Set(changes.map((c) => c.id));
      for (const { id } of this.touchedOn(trackId, changes, () => true)) now.add(id);
      for (const id of now) {
        const clip = doc.clips.get(id);
        if (clip?.trackId === trackId) look(clip);
      }
    }
    if (open.length === 0) return;
    // Edges that were there before, by the moment of the recording: a split's right half takes over its clip's old end.
    const wanted = new Set(open.map(([clip, side]) => edgeKey(clip, side)));
    const moments = new Set(open.map(([clip, side]) => momentOf(clip, side)));
    const cutsThere = (c: Clip): boolean => moments.has(c.offset) || moments.has(c.offset + c.length);
    const old = new Set<string>();
    for (const clip of [...byLane].flatMap(([trackId, changes]) => this.touchedOn(trackId, changes, cutsThere)))
      for (const side of SIDES) {
        const key = edgeKey(clip, side);
        if (wanted.has(key) && !old.has(key) && !joins(before, clip, side)) old.add(key);
      }
    const isNew = ([clip, side]: readonly [Clip, Side]): boolean => {
      const told = this.edgeState(clip.id, side);
      return told === undefined ? !old.has(edgeKey(clip, side)) : told === "new";
    };
    const fresh = open.filter(isNew);
    const both = new Set(fresh.filter(([, side]) => side === "end").map(([clip]) => clip.id));
    for (const [{ id }, side] of fresh) {
      const clip = this.peek("clip", id);
      if (!clip) continue;
      const other = fadeAt(clip, side === "start" ? "end" : "start");
      const most = fadeRoom(clip, other);
      const halves = side === "start" && both.has(id) && most < 2 * edge.length;
      const room = halves ? Math.ceil(most / 2) : most;
      const laid = layOver(fadeAt(clip, side), { ...edge, length: Math.max(0, Math.min(edge.length, room)) });
      if (laid) this.setClip({ ...clip, [side === "start" ? "fadeIn" : "fadeOut"]: fitted(laid, most) });
    }
  }

  /** Lifts every touched clip that would share a layer with one it overlaps, so that which is heard never hangs on a tie. */
  private settleLayers(): void {
    const { doc } = this;
    // Where no clip of a lane lies over another, none can tie.
    const may = new Set([...doc.lanes].filter(([, lane]) => lane.hasOverlaps).map(([id]) => id));
    if (may.size === 0) return;
    for (const { id, after } of this.clipChanges()) {
      if (!after || !may.has(after.trackId)) continue;
      const clip = this.peek("clip", id);
      if (!clip) continue;
      // Layers move nothing: the lane serves as it lay, and only the layers are asked anew.
      const others = laneOf(doc, clip.trackId)
        .within(clip.start, clipEnd(clip))
        .filter((c) => c.id !== id && c.blend?.with !== id && clip.blend?.with !== c.id)
        .map((c) => this.peek("clip", c.id)?.layer ?? c.layer);
      if (others.includes(clip.layer)) this.setClip({ ...clip, layer: Math.max(...others) + 1 });
    }
  }

  /** Makes blends and new edges true after what was done. */
  settleEdges(): void {
    this.settleBlends();
    this.fadeNewEdges();
  }

  /**
   * Checks everything that was touched and hands over the result. Throws EditError where an invariant would break, or where what the edit
   * made could not be read back: a version that does not open must never come to be.
   */
  finish(): { doc: Document; changes: Change[] } {
    this.settleLayers();
    const doc = this.doc;
    if (this.changed.piece.size) mapsOf(doc);
    for (const { after } of this.clipChanges()) {
      const wrong = after ? clipProblems(doc, after) : NOTHING_WRONG;
      if (wrong.length) throw new EditError(`This can't be done: ${wrong[0]}.`, "clipIds");
    }
    const changes: Change[] = [];
    for (const list of Object.values(this.changed))
      for (const { kind, id, before, after } of list.values()) if (differs(kind, before, after)) changes.push({ kind, id, before, after } as Change);
    for (const change of changes) {
      const wrong = unreadable(change, this.originals.get(change.id));
      if (wrong) throw new EditError(`This can't be done: ${wrong}.`);
    }
    return { doc: changes.length ? doc : this.before, changes };
  }
}

/** The maps of a document. Throws EditError where its tempo or meter events make none. */
function mapsOf(doc: Document): void {
  try {
    timebaseOf(doc);
  } catch (error) {
    throw new EditError((error as Error).message, "tempo");
  }
}

/** Whether a thing is not what it was; most clips of which thousands changed lie elsewhere. */
function differs(kind: EntityKind, before: Touched["before"], after: Touched["after"]): boolean {
  if (kind === "clip" && before && after && (before as Clip).start !== (after as Clip).start) return true;
  return !alike(before, after);
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

const isMuch = (changes: readonly unknown[], lane: Lane): boolean => changes.length * 4 > lane.size;

const laneOf = (doc: Document, trackId: string): Lane => doc.lanes.get(trackId) ?? Lane.empty;

const KINDS: readonly Exclude<EntityKind, "piece">[] = ["track", "clip", "marker", "section", "bundle"];
const SIDES = ["start", "end"] as const;
export type Side = (typeof SIDES)[number];

const fadeAt = (clip: Clip, side: Side): Fade => (side === "start" ? clip.fadeIn : clip.fadeOut);
/** The moment of its recording that a clip's edge cuts at. */
const momentOf = (clip: Clip, side: Side): number => (side === "start" ? clip.offset : clip.offset + clip.length);
/** Names an edge by that moment. */
const edgeKey = (clip: Clip, side: Side): string => `${playedId(clip)} ${side} ${momentOf(clip, side)}`;

/** Where in a clip, as it lies now, the moment of its recording is at which the splice of a blend lay. */
const spliceIn = (now: Clip, was: Clip, right: Clip | undefined): number =>
  right?.blend ? now.start + (was.offset + right.blend.splice - was.start) - now.offset : now.start;

/** A fade no longer than there is room for. */
const fitted = (fade: Fade, room: number): Fade => (fade.length <= room ? fade : fadeQuietPart(fade, room));

/** Whether the recording runs on over this edge into the clip beside it. */
function joins(doc: Document, clip: Clip, edge: "start" | "end"): boolean {
  const at = edge === "start" ? clip.start : clipEnd(clip);
  const lane = doc.lanes.get(clip.trackId);
  if (!lane) return false;
  const beside = edge === "start" ? lane.within(at - 1, at).filter((c) => clipEnd(c) === at) : lane.within(at, at + 1).filter((c) => c.start === at);
  return beside.some((other) => (edge === "start" ? unbroken(other, clip) : unbroken(clip, other)));
}
