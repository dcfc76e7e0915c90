import type { ByteSource } from "./source";

const READ = 1 << 20;

/** A file read from front to back, with the stretch at hand that is being looked at. */
export class Window {
  /** The bytes at hand, and where the first of them lies in the file. */
  bytes: Uint8Array = new Uint8Array(0);
  base = 0;

  constructor(
    private readonly source: ByteSource,
    private readonly end = source.size,
  ) {}

  /** Has at least so many bytes from a place on at hand, or all that are left; what lies before the place may go. Returns how many there are. */
  async have(from: number, count: number): Promise<number> {
    const to = Math.min(this.end, from + count);
    if (from >= this.base && to <= this.base + this.bytes.length) return this.base + this.bytes.length - from;
    const kept = from >= this.base && from < this.base + this.bytes.length ? this.bytes.subarray(from - this.base) : new Uint8Array(0);
    const next = from + kept.length;
    const more = await this.source.read(next, Math.max(0, Math.min(this.end, Math.max(to, next + READ)) - next));
    this.bytes = new Uint8Array(kept.length + more.length);
    this.bytes.set(kept);
    this.bytes.set(more, kept.length);
    this.base = from;
    return this.bytes.length;
  }

  /** A byte that is at hand. */
  at(place: number): number {
    return this.bytes[place - this.base];
  }
}

/** Puts ranges of bytes together that touch. */
export function addRange(ranges: { from: number; to: number }[], from: number, to: number): void {
  const last = ranges.at(-1);
  if (last?.to === from) last.to = to;
  else ranges.push({ from, to });
}
