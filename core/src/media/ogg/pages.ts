import { tag } from "../format";
import type { Window } from "../window";

// Pages of an Ogg file (RFC 3533): each has a checksum, and the place in the sound at which it ends.

const CRC32 = Uint32Array.from({ length: 256 }, (_, i) => {
  let c = i << 24;
  for (let k = 0; k < 8; k++) c = c & 0x80000000 ? (c << 1) ^ 0x04c11db7 : c << 1;
  return c >>> 0;
});

export interface Page {
  readonly at: number;
  readonly bytes: number;
  readonly continued: boolean;
  readonly first: boolean;
  readonly last: boolean;
  /** Where the sound is after its last packet; null where none ends in it. */
  readonly place: number | null;
  readonly stream: number;
  readonly number: number;
  /** Packets, or parts of them, that lie in it; the last goes on in the next page when `open`. */
  readonly packets: readonly Uint8Array[];
  readonly open: boolean;
}

/** Bytes of the longest page. */
export const MOST_PAGE = 27 + 255 + 255 * 255;

/** The page at a place of what is at hand, if it is whole. */
export function pageAt(b: Uint8Array, at: number, place: number): Page | null {
  if (b.length - at < 27 || tag(b, at) !== "OggS" || b[at + 4] !== 0) return null;
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
  const segments = b[at + 26];
  if (b.length - at < 27 + segments) return null;
  let bytes = 27 + segments;
  for (let i = 0; i < segments; i++) bytes += b[at + 27 + i];
  if (b.length - at < bytes) return null;
  let crc = 0;
  for (let k = 0; k < bytes; k++) crc = ((crc << 8) ^ CRC32[(crc >>> 24) ^ (k >= 22 && k < 26 ? 0 : b[at + k])]) >>> 0;
  if (crc !== v.getUint32(at + 22, true)) return null;
  const packets: Uint8Array[] = [];
  let [from, size] = [at + 27 + segments, 0];
  for (let i = 0; i < segments; i++) {
    size += b[at + 27 + i];
    if (b[at + 27 + i] === 255 && i < segments - 1) continue;
    packets.push(b.subarray(from, from + size));
    from += size;
    size = 0;
  }
  const [low, high] = [v.getUint32(at + 6, true), v.getInt32(at + 10, true)];
  return {
    at: place,
    bytes,
    continued: (b[at + 5] & 1) !== 0,
    first: (b[at + 5] & 2) !== 0,
    last: (b[at + 5] & 4) !== 0,
    place: high === -1 && low === 0xffffffff ? null : high * 2 ** 32 + low,
    stream: v.getUint32(at + 14, true),
    number: v.getUint32(at + 18, true),
    packets,
    open: segments > 0 && b[at + 26 + segments] === 255,
  };
}

/** The pages of a file that are whole, from its front; of what lies between them nothing is told. */
export async function* pages(window: Window, end: number): AsyncGenerator<Page> {
  for (let at = 0; at < end; ) {
    const have = Math.min(end - at, await window.have(at, MOST_PAGE));
    const b = window.bytes.subarray(at - window.base, at - window.base + have);
    const page = pageAt(b, 0, at);
    if (page) {
      yield page;
      at += page.bytes;
      continue;
    }
    let next = b.indexOf(0x4f, 1);
    while (next > 0 && next + 4 <= b.length && tag(b, next) !== "OggS") next = b.indexOf(0x4f, next + 1);
    at += next > 0 ? next : Math.max(1, have);
  }
}
