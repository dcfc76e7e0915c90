import type { z } from "zod";
import type { Change, Entities, EntityKind } from "./document";
import { type BarPlace, Bundle, Clip, Fade, Id, Marker, Piece, Section, Track } from "./schema";

const SCHEMAS: Readonly<Record<EntityKind, z.ZodType>> = { piece: Piece, track: Track, clip: Clip, marker: Marker, section: Section, bundle: Bundle };

/** What keeps a thing from being read back as it is, in words; null when nothing does. `original`: a readable clip of which a new one is a copy. */
export function unreadable({ kind, id, before, after }: Change, original?: Clip): string | null {
  if (after === null) return null;
  // An edit that moves a whole piece along changes thousands of clips by a place each: for them the full schema would cost more than all the rest.
  if (kind === "clip" && after.id === id) {
    if (before && plainlyReadable(before, after)) return null;
    if (original && Id.safeParse(id).success && plainlyReadable(original, after)) return null;
  }
  if (kind === "bundle" && before && after.id === id && onlyPlaced(before, after)) return null;
  const read = SCHEMAS[kind].safeParse(after);
  if (read.success && (after as { id?: string }).id === (kind === "piece" ? undefined : id)) return null;
  const issue = read.error?.issues[0];
  const name = (after as { name?: string }).name || `the ${kind}`;
  return `${name} could not be kept${issue ? ` (${issue.path.join(".")}: ${issue.message})` : ""}`;
}

const whole = (n: number): boolean => Number.isSafeInteger(n) && n >= 0;
const counted = ({ bar, beat, tick }: BarPlace): boolean =>
  Number.isSafeInteger(bar) && Number.isSafeInteger(beat) && beat >= 1 && Number.isFinite(tick);

const readableFade = (before: Fade, after: Fade): boolean => before === after || Fade.safeParse(after).success;

function readableBlend(was: Clip["blend"], is: Clip["blend"]): boolean {
  if (was === is || !is) return true;
  return (
    was !== null &&
    is.with === was.with &&
    is.law === was.law &&
    is.place === was.place &&
    is.linked === was.linked &&
    is.lent === was.lent &&
    whole(is.splice)
  );
}

/** Whether a clip differs from a readable one by its id, where it lies, its window and its fades only, and those can be read. */
function plainlyReadable(before: Clip, after: Clip): boolean {
  return (
    before.trackId === after.trackId &&
    before.sourceId === after.sourceId &&
    before.name === after.name &&
    before.color === after.color &&
    before.gain === after.gain &&
    before.pan === after.pan &&
    before.mute === after.mute &&
    before.sync === after.sync &&
    before.bundle === after.bundle &&
    before.channels === after.channels &&
    before.envelopes === after.envelopes &&
    before.recipe === after.recipe &&
    before.conform === after.conform &&
    before.hits === after.hits &&
    before.take === after.take &&
    whole(after.start) &&
    whole(after.offset) &&
    whole(after.layer) &&
    whole(after.length) &&
    after.length >= 1 &&
    after.start + after.length <= Number.MAX_SAFE_INTEGER &&
    (before.bars === after.bars || !after.bars || counted(after.bars)) &&
    readableBlend(before.blend, after.blend) &&
    readableFade(before.fadeIn, after.fadeIn) &&
    readableFade(before.fadeOut, after.fadeOut)
  );
}

/** Whether a bundle differs from a readable one by where it lies only, and that can be read. */
const onlyPlaced = (before: Bundle, after: Bundle): boolean =>
  before.name === after.name &&
  before.color === after.color &&
  before.parent === after.parent &&
  before.pattern === after.pattern &&
  before.trackId === after.trackId &&
  before.takes === after.takes &&
  Number.isSafeInteger(after.start);

/** Reads a thing that was kept; what can't be read is told in words. */
export function readEntity<K extends EntityKind>(kind: K, data: unknown): { entity: Entities[K] } | { wrong: string } {
  const read = SCHEMAS[kind].safeParse(data);
  if (read.success) return { entity: read.data as Entities[K] };
  const issue = read.error.issues[0];
  return { wrong: `${issue.path.join(".") || kind}: ${issue.message}` };
}
