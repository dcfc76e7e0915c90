import { latin, MOST_TOLD, type Told, tag } from "../format";
import type { ByteSource } from "../source";
import { fromBytes } from "../text";

/** A number of 28 bits in four bytes of seven (ID3v2, 6.2). */
const safe = (b: Uint8Array, at: number): number => (b[at] << 21) | (b[at + 1] << 14) | (b[at + 2] << 7) | b[at + 3];

/** Bytes of the ID3v2 tag that a file begins with, from its first ten; 0 where there is none. */
export function id3Size(head: Uint8Array): number {
  if (head.length < 10 || !tag(head, 0).startsWith("ID3")) return 0;
  return 10 + safe(head, 6) + (head[5] & 0x10 ? 10 : 0);
}

/** Text of a frame: its first byte says how it is written. */
function text(b: Uint8Array): string {
  const body = b.subarray(1);
  if (b[0] === 0 || b[0] === 3) return b[0] === 3 ? fromBytes(latin(body)) : latin(body);
  const big = b[0] === 2 || (body[0] === 0xfe && body[1] === 0xff);
  let out = "";
  for (let i = b[0] === 1 ? 2 : 0; i + 1 < body.length; i += 2) {
    const unit = big ? (body[i] << 8) | body[i + 1] : (body[i + 1] << 8) | body[i];
    if (unit === 0) break;
    out += String.fromCharCode(unit);
  }
  return out.toWellFormed();
}

/** The frames of a tag, or of one inside another. */
function* frames(b: Uint8Array, version: number): Generator<[string, Uint8Array]> {
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
  for (let at = 0; at + 10 <= b.length && b[at] !== 0; ) {
    const size = version >= 4 ? safe(b, at + 4) : v.getUint32(at + 4);
    yield [tag(b, at), b.subarray(at + 10, Math.min(b.length, at + 10 + size))];
    at += 10 + size;
  }
}

/** Title and chapters of an ID3v2.3 or 2.4 tag at the front of a file; chapters are in milliseconds. */
export async function readId3(source: ByteSource, rate: number): Promise<Partial<Told>> {
  const head = await source.read(0, 10);
  const size = id3Size(head);
  if (size === 0 || head[3] < 3) return {};
  const marks: { position: number; name: string }[] = [];
  let title: string | null = null;
  for (const [name, b] of frames(await source.read(10, Math.min(MOST_TOLD, size - 10)), head[3])) {
    if (name === "TIT2" && b.length > 1) title = text(b);
    if (name !== "CHAP" || marks.length >= 10_000) continue;
    const id = latin(b).length + 1;
    if (b.length < id + 16) continue;
    const start = new DataView(b.buffer, b.byteOffset, b.byteLength).getUint32(id);
    const inner = new Map(frames(b.subarray(id + 16), head[3]));
    const named = inner.get("TIT2");
    marks.push({ position: Math.round((start * rate) / 1000), name: named && named.length > 1 ? text(named) : "" });
  }
  return { marks, title };
}
