/** Few things lie in few buckets, which are quick to copy and to walk; with many, each stays small. */
const FEW = 64;
const MANY = 4096;
/** So many in a bucket of few are better off in many. */
const CROWDED = 8;

function hash(id: string, buckets: number): number {
  let h = 2166136261;
  for (let i = 0; i < id.length; i++) h = Math.imul(h ^ id.charCodeAt(i), 16777619);
  return (h ^ (h >>> 15)) & (buckets - 1);
}

const placeOf = (bucket: readonly { readonly id: string }[], id: string): number => {
  for (let i = 0; i < bucket.length; i++) if (bucket[i].id === id) return i;
  return -1;
};

/**
 * An immutable index of things by their id in which a change copies one small bucket, so that an edit among 20,000 clips touches a few.
 * Invariant: an id lies in the bucket of its hash only; a bucket is never changed once another index may hold it.
 */
export class IdIndex<T extends { readonly id: string }> {
  private constructor(
    private readonly buckets: readonly (readonly T[] | undefined)[],
    readonly size: number,
  ) {}

  static from<T extends { readonly id: string }>(values: Iterable<T>): IdIndex<T> {
    const list = [...values];
    return new IdIndex<T>(new Array(list.length > FEW * CROWDED ? MANY : FEW).fill(undefined), 0).with(list.map((v) => [v.id, v]));
  }

  get(id: string): T | undefined {
    const bucket = this.buckets[hash(id, this.buckets.length)];
    if (bucket) for (let i = 0; i < bucket.length; i++) if (bucket[i].id === id) return bucket[i];
    return undefined;
  }

  has(id: string): boolean {
    return this.get(id) !== undefined;
  }

  /** The index after setting (or, for null, removing) each id. */
  with(entries: Iterable<readonly [string, T | null]>): IdIndex<T> {
    if (this.buckets.length === FEW && this.size > FEW * CROWDED) return IdIndex.from(this.values()).with(entries);
    const buckets = this.buckets.slice();
    const fresh = new Uint8Array(buckets.length);
    let size = this.size;
    for (const [id, value] of entries) {
      const h = hash(id, buckets.length);
      if (!fresh[h]) {
        buckets[h] = buckets[h]?.slice() ?? [];
        fresh[h] = 1;
      }
      const bucket = buckets[h] as T[];
      const at = placeOf(bucket, id);
      if (value === null) {
        if (at >= 0) bucket.splice(at, 1);
        size -= Number(at >= 0);
      } else if (at >= 0) bucket[at] = value;
      else {
        bucket.push(value);
        size++;
      }
    }
    return new IdIndex(buckets, size);
  }

  *values(): IterableIterator<T> {
    for (const bucket of this.buckets) if (bucket) yield* bucket;
  }
}
