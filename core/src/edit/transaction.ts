import { differs } from "../model/alike";
import { copiedClip, evenClip, movedClip } from "../model/clip/even-layout";
import { applyChanges, type Change, type Document, type Entities, type EntityKind, entityOf, PIECE_ID, timebaseOf } from "../model/document";
import type { Lane } from "../model/index/lane";
import { clipProblems, NOTHING_WRONG } from "../model/invariants";
import { unreadable } from "../model/readable";
import type { Clip, Track } from "../model/schema";
import { BARE_EDGES, EdgeOrigins, type NewEdges } from "./edge-origins";
import { EditError } from "./errors";
import { NewIds } from "./new-ids";

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

  constructor(
    readonly before: Document,
    /** Makes the ids of what this edit creates the same in the page and on the server. */
    key: string,
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
    this.edges = new EdgeOrigins(before);
    this.ids = new NewIds(before, key, (kind, id) => this.changed[kind].size > 0 && this.changed[kind].has(id));
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
  /** Clips that were laid: not those that a cut left. */
  readonly laid: string[] = [];
  /** Where edges come from. */
  readonly edges: EdgeOrigins;
  /** Makes ids for what this edit lays. */
  private readonly ids: NewIds;

  /** An id for a new thing. One that is there already is never given again, whatever keys edits were sent with. */
  newId = (): string => this.ids.next();

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
