/** The same thing is written in the same way, in whatever order its fields come out of a store. */
export const written = (thing: unknown): string =>
  JSON.stringify(thing, (_, value) =>
    value && typeof value === "object" && !Array.isArray(value)
      ? Object.fromEntries(Object.entries(value).sort(([x], [y]) => (x < y ? -1 : 1)))
      : value,
  );

/**
 * A digest of a text as 26 hexadecimal digits, the same on every machine: two runs of a multiplying hash of 53 bits with other seeds. It
 * tells recipes apart; it keeps no secrets. The multipliers: 2654435761, the golden ratio of 2^32 (Knuth, The Art of Computer Programming 3, 6.4), and
 * 1597334677, from L'Ecuyer's tables of multipliers of good lattice structure (Mathematics of Computation 68, 1999); what is mixed at the end is mixed
 * by those of MurmurHash3 (Appleby), 2246822507 and 3266489909. The seeds are any numbers: recordings that were made are kept under these digests.
 */
export function hashOf(text: string): string {
  return half(text, 0x9e3779b9) + half(text, 0x85ebca6b);
}

function half(text: string, seed: number): string {
  let [a, b] = [0xdeadbeef ^ seed, 0x41c6ce57 ^ seed];
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    a = Math.imul(a ^ c, 2654435761);
    b = Math.imul(b ^ c, 1597334677);
  }
  a = Math.imul(a ^ (a >>> 16), 2246822507) ^ Math.imul(b ^ (b >>> 13), 3266489909);
  b = Math.imul(b ^ (b >>> 16), 2246822507) ^ Math.imul(a ^ (a >>> 13), 3266489909);
  return ((b >>> 11) * 2 ** 32 + (a >>> 0)).toString(16).padStart(14, "0").slice(-13);
}
