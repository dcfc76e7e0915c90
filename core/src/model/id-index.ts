const BUCKETS = 1024;

function hash(id: string): number {
  let h = 2166136261;
  for (let i = 0; i < id.length; i++) h = Math.imul(h ^ id.charCodeAt(i), 16777619);
  return (h ^ (h >>> 15)) & (BUCKETS - 1);
}

/**
 * An immutable map from id to value in which a change copies one small bucket, so that an edit among 20,000 clips touches a few.
 * Invariant: an id lies in the bucket of its hash only; a bucket is never changed once another index may hold it.
 */
export class IdIndex<T> {
  private constructor(
    private readonly buckets: readonly (ReadonlyMap<string, T> | undefined)[],
    readonly size: number,
  ) {}

  static from<T extends { readonly id: string }>(values: Iterable<T>): IdIndex<T> {
    return new IdIndex<T>(new Array(BUCKETS).fill(undefined), 0).with([...values].map((v) => [v.id, v]));
  }

  get(id: string): T | undefined {
    return this.buckets[hash(id)]?.get(id);
  }

  has(id: string): boolean {
    return this.buckets[hash(id)]?.has(id) ?? false;
  }

  /** The index after setting (or, for null, removing) each id. */
  with(entries: Iterable<readonly [string, T | null]>): IdIndex<T> {
    const buckets = this.buckets.slice();
    const fresh = new Set<number>();
    let size = this.size;
    for (const [id, value] of entries) {
      const h = hash(id);
      if (!fresh.has(h)) {
        buckets[h] = new Map(buckets[h]);
        fresh.add(h);
      }
      const bucket = buckets[h] as Map<string, T>;
      const had = bucket.has(id);
      if (value === null) bucket.delete(id);
      else bucket.set(id, value);
      size += Number(value !== null) - Number(had);
    }
    return new IdIndex(buckets, size);
  }

  *values(): IterableIterator<T> {
    for (const bucket of this.buckets) if (bucket) yield* bucket.values();
  }
}
