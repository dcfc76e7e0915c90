import { applyChanges, type Change, type Document, type Entities, type EntityKind, entityOf, PIECE_ID, timebaseOf } from "../model/document";
import { copiedClip, evenClip, movedClip } from "../model/even";
import { clipProblems, NOTHING_WRONG } from "../model/invariants";
import type { Lane } from "../model/lane";
import { unreadable } from "../model/readable";
import type { Clip, FadeCurve, Track } from "../model/schema";
import { EditError } from "./errors";

export type ClipChange = Extract<Change, { kind: "clip" }>;

/** One thing that an edit touched: what it was, what it is by now, what the document at hand holds in its place, and whether that is still so. */
interface Touched {
  readonly kind: EntityKind;
  readonly id: string;
  readonly before: Entities[EntityKind] | null;
  after: Entities[EntityKind] | null;
  held: Entities[EntityKind] | null;
  shown: boolean;
}

export type Side = "start" | "end";

/** What new edges get: a fade, length 0 leaving them bare, or a blend with the edge that they meet. */
export interface NewEdges extends Pick<FadeCurve, "length" | "shape" | "bend"> {
  /** A blend where the edge meets another one and there is material, else the fade. */
  readonly blend: boolean;
  /** Takes nothing from an attack. */
  readonly attacks: boolean;
  /** Goes by itself as soon as the audio runs on again. */
  readonly lent: boolean;
}
export const BARE_EDGES: NewEdges = { length: 0, shape: "power", bend: 0, blend: false, attacks: false, lent: true };

/**
 * Where an edge comes from: laid bare by this edit, kept just as it is whatever it looks like, or one that a clip had before. One that is `slid`
 * stands where it stood, though other audio lies at it.
 */
export type EdgeOrigin = "new" | "kept" | { readonly clipId: string; readonly side: Side; readonly slid?: true };

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
      named = new Set(),
    }: {
      /** The bundle that is open: new clips join it, and splitting does not divide it. */
      readonly inside?: string | null;
      /** For each clip that a link brought in, the one that it goes along with. */
      readonly leads?: ReadonlyMap<string, string>;
      /** What new edges get, as the edit was given it. */
      readonly edge?: NewEdges;
      /** What the edits of one batch remember for those after them, so that each need not look through everything again. */
      readonly scratch?: Map<string, number>;
      /** Whether linked tracks are edited together; suspended, each is on its own. */
      readonly links?: boolean;
      /** The clips and bundles that the edit was told to edit. */
      readonly named?: ReadonlySet<string>;
    } = {},
  ) {
    this.current = before;
    this.inside = inside;
    this.leads = leads;
    this.given = edge;
    this.scratch = scratch;
    this.links = links;
    this.named = named;
  }

  readonly scratch: Map<string, number>;
  readonly links: boolean;
  readonly inside: string | null;
  readonly named: ReadonlySet<string>;
  readonly leads: ReadonlyMap<string, string>;
  private readonly given: NewEdges | undefined;
  /** What new edges get where the edit was told nothing; an edit that promises to smooth sets it. */
  ownEdge: NewEdges = BARE_EDGES;
  /** What new edges get. */
  get edge(): NewEdges {
    return this.given ?? this.ownEdge;
  }
  /** What could not be done though the edit was, in words: what was left, and why. */
  readonly notes: string[] = [];
  /** Where edges come from that are not simply those which their clip had before. */
  private readonly edges: Readonly<Record<Side, Map<string, EdgeOrigin>>> = { start: new Map(), end: new Map() };

  edgeIsNew(clipId: string, side: Side): void {
    this.edges[side].set(clipId, "new");
  }
  edgeIsKept(clipId: string, side: Side): void {
    this.edges[side].set(clipId, "kept");
  }

  /** An edge is one that another clip, or the other side, had until now. */
  edgeComesFrom(clipId: string, side: Side, from: string, fromSide: Side): void {
    this.edges[side].set(clipId, this.edgeOrigin(from, fromSide));
  }
  /** A clip's edges stand where they stood, though its audio went along inside them. */
  edgesStay(clipId: string): void {
    for (const side of ["start", "end"] as const) {
      const origin = this.edgeOrigin(clipId, side);
      if (typeof origin === "object") this.edges[side].set(clipId, { ...origin, slid: true });
    }
  }
  /** A clip was turned round in place: its start is what was its end. */
  edgesTurn(clipId: string): void {
    const [start, end] = [this.edgeOrigin(clipId, "start"), this.edgeOrigin(clipId, "end")];
    this.edges.start.set(clipId, end);
    this.edges.end.set(clipId, start);
  }
  edgeOrigin(clipId: string, side: Side): EdgeOrigin {
    return this.edges[side].get(clipId) ?? (this.before.clips.has(clipId) ? { clipId, side } : "new");
  }

  private idAt(n: number): string {
    return `${this.key}.${n}`;
  }
  private isTaken(n: number): boolean {
    const id = this.idAt(n);
    for (const kind of KINDS)
      if ((this.changed[kind].size > 0 && this.changed[kind].has(id)) || entityOf(this.before, kind, id) !== null) return true;
    this.laneIds ??= new Set([...this.before.bundles.values()].flatMap((b) => b.takes?.map((l) => l.id) ?? []));
    return this.laneIds.has(id);
  }
  /** Lanes of take stacks have ids of their own too, though they are no things of the document. */
  private laneIds: Set<string> | null = null;

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

  /** A clip as it now is; null when there is none. */
  clipNow = (id: string): Clip | null => this.peek("clip", id);
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

  private readonly fromOutside = new Set<string>();
  /** Something that came to lie on a clip, or beside it, changes it, though nobody asked that of it. */
  changeFromOutside(clipId: string): void {
    this.fromOutside.add(clipId);
  }
  isFromOutside = (clipId: string): boolean => this.fromOutside.has(clipId);

  private readonly bundlesMade = new Map<string, readonly Clip[]>();
  /** A bundle came to be in the midst of the edit, out of clips as they are now: what moves them afterwards moves it. */
  bundleIsMade(id: string, clips: readonly Clip[]): void {
    this.bundlesMade.set(id, clips);
  }
  bundleAsMade = (id: string): readonly Clip[] | undefined => this.bundlesMade.get(id);

  /** The bundles made or changed so far. */
  changedBundles(): string[] {
    return [...this.changed.bundle.keys()];
  }

  /** The clips touched so far, as they were and are. */
  clipChanges(): ClipChange[] {
    return [...this.changed.clip.values()] as ClipChange[];
  }

  /**
   * Checks everything that was touched and hands over the result. Throws EditError where an invariant would break, or where what the edit
   * made could not be read back: a version that does not open must never come to be.
   */
  finish(): { doc: Document; changes: Change[] } {
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

const KINDS: readonly Exclude<EntityKind, "piece">[] = ["track", "clip", "marker", "section", "bundle"];
