/** Few things lie in one short row of places; with many there is a place for about each, in rows of which a change copies one. */
const FEW = 64;
const ROWS = 256;
const ROW = 256;
/** So many are better off in many rows. */
const CROWDED = 512;

function hash(id: string): number {
  let h = 2166136261;
  for (let i = 0; i < id.length; i++) h = Math.imul(h ^ id.charCodeAt(i), 16777619);
  return (h ^ (h >>> 15)) >>> 0;
}

/** What lies at one place: mostly nothing, or one thing. */
type Place<T> = T | readonly T[] | undefined;

/** What lies at a place after one thing was set, or taken away. */
function placeWith<T extends { readonly id: string }>(place: Place<T>, id: string, after: T | null): Place<T> {
  if (place === undefined) return after ?? undefined;
  if (!Array.isArray(place)) {
    if ((place as T).id === id) return after ?? undefined;
    return after ? [place as T, after] : place;
  }
  const others = (place as readonly T[]).filter((x) => x.id !== id);
  // Where it lay it stays, so that things are gone through in one order.
  if (after && others.length < place.length) return place.map((x: T) => (x.id === id ? after : x));
  if (after) return [...others, after];
  return others.length === 1 ? others[0] : others;
}

/**
 * An immutable index of things by their id in which a change copies one short row, so that an edit among 20,000 clips touches a few.
 * Invariant: an id lies at the place of its hash only; a row is never changed once another index may hold it.
 */
export class IdIndex<T extends { readonly id: string }> {
  private constructor(
    private readonly rows: readonly (readonly Place<T>[])[],
    readonly size: number,
  ) {}

  static from<T extends { readonly id: string }>(values: Iterable<T>): IdIndex<T> {
    const list = [...values];
    const many = list.length > CROWDED;
    const row = new Array<Place<T>>(many ? ROW : FEW).fill(undefined);
    return new IdIndex<T>(new Array(many ? ROWS : 1).fill(row), 0).with(list.map((v) => ({ id: v.id, after: v })));
  }

  private placeOf(id: string): number {
    return hash(id) & (this.rows.length === 1 ? FEW - 1 : ROWS * ROW - 1);
  }

  get(id: string): T | undefined {
    if (this.size === 0) return undefined;
    const h = this.placeOf(id);
    const place = this.rows[h >>> 8][h & 255];
    if (place === undefined) return undefined;
    if (!Array.isArray(place)) return (place as T).id === id ? (place as T) : undefined;
    for (const one of place as readonly T[]) if (one.id === id) return one;
    return undefined;
  }

  has(id: string): boolean {
    return this.get(id) !== undefined;
  }

  /** The index after setting (or, for null, removing) each id. */
  with(changes: readonly { readonly id: string; readonly after: T | null }[]): IdIndex<T> {
    if (changes.length === 0) return this;
    if (this.rows.length === 1 && this.size + changes.length > CROWDED) {
      const more = new Map([...this.values()].map((v) => [v.id, v]));
      for (const { id, after } of changes) {
        if (after) more.set(id, after);
        else more.delete(id);
      }
      return IdIndex.from(more.values());
    }
    const rows = this.rows.slice() as Place<T>[][];
    const fresh = new Uint8Array(rows.length);
    let size = this.size;
    for (const { id, after } of changes) {
      const h = this.placeOf(id);
      const r = h >>> 8;
      if (!fresh[r]) {
        rows[r] = rows[r].slice();
        fresh[r] = 1;
      }
      const place = rows[r][h & 255];
      const had = sizeOf(place);
      const next = placeWith(place, id, after);
      rows[r][h & 255] = next;
      size += sizeOf(next) - had;
    }
    return new IdIndex(rows, size);
  }

  *values(): IterableIterator<T> {
    for (const row of this.rows)
      for (const place of row) {
        if (place === undefined) continue;
        if (Array.isArray(place)) yield* place as readonly T[];
        else yield place as T;
      }
  }
}

const sizeOf = <T>(place: Place<T>): number => (place === undefined ? 0 : Array.isArray(place) ? place.length : 1);
