import type { z } from "zod";
import type { Change, Entities, EntityKind } from "./document";
import { type BarPlace, Bundle, Clip, Fade, Marker, Piece, Section, Track } from "./schema";

const SCHEMAS: Readonly<Record<EntityKind, z.ZodType>> = { piece: Piece, track: Track, clip: Clip, marker: Marker, section: Section, bundle: Bundle };

/** What keeps a thing from being read back as it is, in words; null when nothing does. */
export function unreadable({ kind, id, before, after }: Change): string | null {
  if (after === null) return null;
  // An edit that moves a whole piece along changes thousands of clips by a place each: for them the full schema would cost more than all the rest.
  if (kind === "clip" && before && plainlyReadable(before, after)) return null;
  const read = SCHEMAS[kind].safeParse(after);
  if (read.success && (after as { id?: string }).id === (kind === "piece" ? undefined : id)) return null;
  const issue = read.error?.issues[0];
  const name = (after as { name?: string }).name || `the ${kind}`;
  return `${name} could not be kept${issue ? ` (${issue.path.join(".")}: ${issue.message})` : ""}`;
}

const whole = (n: number): boolean => Number.isSafeInteger(n) && n >= 0;
const counted = ({ bar, beat, tick }: BarPlace): boolean =>
  Number.isSafeInteger(bar) && Number.isSafeInteger(beat) && beat >= 1 && Number.isFinite(tick);

/** Whether a clip differs from a readable one by where it lies, its window and its fades only, and those can be read. */
function plainlyReadable(before: Clip, after: Clip): boolean {
  for (const key in after) {
    const field = key as keyof Clip;
    if (before[field] === after[field]) continue;
    if (field === "start" || field === "offset" || field === "layer") {
      if (!whole(after[field])) return false;
    } else if (field === "length") {
      if (!whole(after.length) || after.length < 1) return false;
    } else if (field === "fadeIn" || field === "fadeOut") {
      if (!Fade.safeParse(after[field]).success) return false;
    } else if (field === "bars") {
      if (after.bars && !counted(after.bars)) return false;
    } else if (field === "blend") {
      const [was, is] = [before.blend, after.blend];
      if (!is) continue;
      if (!was || is.with !== was.with || is.law !== was.law || is.place !== was.place || is.linked !== was.linked || !whole(is.splice)) return false;
    } else return false;
  }
  return after.start + after.length <= Number.MAX_SAFE_INTEGER;
}

/** Reads a thing that was kept; what can't be read is told in words. */
export function readEntity<K extends EntityKind>(kind: K, data: unknown): { entity: Entities[K] } | { wrong: string } {
  const read = SCHEMAS[kind].safeParse(data);
  if (read.success) return { entity: read.data as Entities[K] };
  const issue = read.error.issues[0];
  return { wrong: `${issue.path.join(".") || kind}: ${issue.message}` };
}
