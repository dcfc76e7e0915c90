import { evenClip } from "../model/clip/even-layout";
import { type Change, type Document, type Entities, type EntityKind, entityOf } from "../model/document";
import { type Clip, OPTIONAL_FIELDS } from "../model/schema";

/**
 * A change as it is kept and sent: of a thing that was there and stays, only the fields that differ (never its id), before and after; the
 * whole thing where it came to be or went. An edit that moves everything by the same is small this way.
 */
export type StoredChange = {
  [K in EntityKind]: {
    readonly kind: K;
    readonly id: string;
    readonly before: Entities[K] | Partial<Entities[K]> | null;
    readonly after: Entities[K] | Partial<Entities[K]> | null;
  };
}[EntityKind];

type Fields = Record<string, unknown>;

/** Whether two values of one field hold the same: they are plain JSON. */
const same = (a: unknown, b: unknown): boolean => a === b || (typeof a === "object" && JSON.stringify(a) === JSON.stringify(b));

/** Changes without what stayed the same. */
export function storedChanges(changes: readonly Change[]): StoredChange[] {
  return changes.map((change) => {
    if (!change.before || !change.after) return change;
    const [before, after] = [change.before as unknown as Fields, change.after as unknown as Fields];
    const was: Fields = {};
    const is: Fields = {};
    const look = (key: string): void => {
      if (key === "id" || same(before[key], after[key])) return;
      was[key] = before[key] ?? null;
      is[key] = after[key] ?? null;
    };
    for (const key in before) look(key);
    for (const key in after) if (!(key in before)) look(key);
    return { kind: change.kind, id: change.id, before: was, after: is } as StoredChange;
  });
}

/** Whether a field of a stored change says that the thing is without it from then on. */
export const isTakenAway = (key: string, value: unknown): boolean => value === null && OPTIONAL_FIELDS.has(key);

function withFields(kind: EntityKind, now: Fields, to: Fields): Fields {
  const gone = (key: string): boolean => isTakenAway(key, to[key]);
  const set: Fields = {};
  for (const key in to) set[key] = gone(key) ? undefined : to[key];
  if (kind === "clip") return evenClip(now as unknown as Clip, set as Partial<Clip>) as unknown as Fields;
  return Object.fromEntries(Object.entries({ ...now, ...set }).filter(([key]) => !(key in to && gone(key))));
}

/**
 * The changes in full, for the document that they are made on: each in turn, on what those before it made; one change for each thing.
 * `lookUp` finds what the document does not hold, such as what could not be read.
 */
export function wholeChanges(
  doc: Document,
  stored: readonly StoredChange[],
  lookUp: (kind: EntityKind, id: string) => Entities[EntityKind] | null = () => null,
): Change[] {
  const whole = new Map<string, Change>();
  for (const { kind, id, after: to } of stored) {
    const key = `${kind} ${id}`;
    const earlier = whole.get(key);
    const before = earlier ? earlier.before : (entityOf(doc, kind, id) ?? lookUp(kind, id));
    const now = earlier ? earlier.after : before;
    // Where there is nothing, or nothing stays, the change holds the whole.
    whole.set(key, { kind, id, before, after: now && to ? withFields(kind, now as unknown as Fields, to as Fields) : to } as Change);
  }
  return [...whole.values()];
}

/** What takes stored changes back, last first. */
export const invertStored = (changes: readonly StoredChange[]): StoredChange[] =>
  [...changes].reverse().map((c) => ({ ...c, before: c.after, after: c.before }) as StoredChange);
