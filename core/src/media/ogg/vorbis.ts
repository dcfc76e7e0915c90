import { MediaError } from "../source";

/** What a Vorbis stream's headers tell of its packets' lengths (Vorbis I, 4.2). */
export interface VorbisModes {
  readonly short: number;
  readonly long: number;
  /** For each mode, whether its blocks are long; a packet names its mode in so many bits. */
  readonly modes: readonly boolean[];
  readonly bits: number;
}

/** Bits from the end of some bytes towards their front: each byte's highest first. */
function fromEnd(b: Uint8Array) {
  let at = b.length * 8;
  return {
    left: () => at,
    bit: (): number => {
      at--;
      return (b[at >> 3] >> (at & 7)) & 1;
    },
    /** A number whose highest bit comes first on this way. */
    number(count: number): number {
      let n = 0;
      for (let k = 0; k < count; k++) n = n * 2 + this.bit();
      return n;
    },
  };
}

/**
 * The modes at the end of the setup header, read from behind: before them lies what only a whole decoder could skip. Each takes 41 bits, of
 * which 32 are zero, and before the first stands how many there are.
 */
function modesOf(setup: Uint8Array): boolean[] {
  const bits = fromEnd(setup);
  while (bits.left() > 0 && bits.bit() === 0) {
    // The framing bit is the last that is set.
  }
  const found: boolean[] = [];
  let [best, most]: [boolean[], number] = [[], 0];
  while (bits.left() >= 41 + 6 && found.length < 64) {
    const mapping = bits.number(8);
    const kinds = bits.number(32);
    if (mapping > 63 || kinds !== 0) break;
    found.push(bits.bit() === 1);
    const mark = bits.left();
    const probe = fromEnd(setup.subarray(0, Math.ceil(mark / 8)));
    while (probe.left() > mark) probe.bit();
    if (probe.number(6) + 1 === found.length) [best, most] = [[...found].reverse(), found.length];
  }
  if (most === 0) throw new MediaError("The file's Vorbis setup can't be read.", "broken");
  return best;
}

/** Reads both headers. Throws MediaError. */
export function vorbisModes(ident: Uint8Array, setup: Uint8Array): VorbisModes {
  const modes = modesOf(setup);
  return { short: 1 << (ident[28] & 15), long: 1 << (ident[28] >> 4), modes, bits: Math.max(0, 32 - Math.clz32(modes.length - 1)) };
}

/** Samples of the block that a packet holds. */
export function vorbisBlock(packet: Uint8Array, m: VorbisModes): number {
  const mode = (packet[0] >> 1) & ((1 << m.bits) - 1);
  return m.modes[mode] ? m.long : m.short;
}
