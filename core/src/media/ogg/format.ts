import { readComments } from "../comments";
import { type AudioFormat, checkShape, latin, type Survey, type Told, tag, tidy } from "../format";
import { type ByteSource, MediaError } from "../source";
import { addRange, Window } from "../window";
import { opusSamples } from "./opus";
import { type Page, pages } from "./pages";
import { vorbisBlock, vorbisModes } from "./vorbis";

type Codec = "opus" | "vorbis" | "flac";

/** What the first packet of a stream says it is. */
function codecOf(packet: Uint8Array): Codec | null {
  if (packet.length >= 19 && latin(packet.subarray(0, 8)) === "OpusHead") return "opus";
  if (packet.length >= 30 && packet[0] === 1 && latin(packet.subarray(1, 7)) === "vorbis") return "vorbis";
  if (packet.length >= 51 && packet[0] === 0x7f && latin(packet.subarray(1, 5)) === "FLAC") return "flac";
  return null;
}

/** Rate, channels, and the samples that a decoder gives before the sound begins. */
function shapeOf(codec: Codec, p: Uint8Array): { channels: number; sampleRate: number; skip: number } {
  const v = new DataView(p.buffer, p.byteOffset, p.byteLength);
  if (codec === "opus") return { channels: p[9], sampleRate: 48_000, skip: v.getUint16(10, true) };
  if (codec === "vorbis") return { channels: p[11], sampleRate: v.getUint32(12, true), skip: 0 };
  const packed = v.getUint32(27);
  return { channels: ((packed >>> 9) & 7) + 1, sampleRate: packed >>> 12, skip: 0 };
}

/** Packets put together out of pages, each with the page that it ends in. A packet of which a part is missing is left out. */
class Packets {
  private open: Uint8Array | null = null;

  /** The packets that end in a page. */
  of(page: Page): Uint8Array[] {
    const out: Uint8Array[] = [];
    for (const [i, part] of page.packets.entries()) {
      const continued = i === 0 && page.continued;
      const whole = continued ? this.open && joined(this.open, part) : part;
      if (continued) this.open = null;
      if (i === page.packets.length - 1 && page.open) this.open = whole?.slice() ?? null;
      else if (whole) out.push(whole);
    }
    return out;
  }

  /** Pages are missing: what was open never ends. */
  broken(): void {
    this.open = null;
  }
}

function joined(a: Uint8Array, b: Uint8Array): Uint8Array {
  const out = new Uint8Array(a.length + b.length);
  out.set(a);
  out.set(b, a.length);
  return out;
}

interface Head {
  readonly codec: Codec;
  readonly stream: number;
  readonly channels: number;
  readonly sampleRate: number;
  readonly skip: number;
  readonly told: Partial<Told>;
  /** Samples that a packet adds when it is decoded after another. */
  readonly samples: (packet: Uint8Array) => number;
  /** How many packets come before the sound. */
  readonly headers: number;
  readonly others: number;
}

/** How far the headers are looked for: pictures among the comments make them long. */
const MOST_HEADERS = 32 << 20;

async function readHead(source: ByteSource): Promise<Head> {
  let found: { codec: Codec; stream: number; ident: Uint8Array } | undefined;
  let others = 0;
  const packets = new Packets();
  const headers: Uint8Array[] = [];
  for await (const page of pages(new Window(source), Math.min(source.size, MOST_HEADERS))) {
    if (page.first && !found) {
      const codec = page.packets[0] ? codecOf(page.packets[0]) : null;
      if (codec) found = { codec, stream: page.stream, ident: page.packets[0].slice() };
      else others++;
    }
    if (!found || page.stream !== found.stream) continue;
    for (const packet of packets.of(page)) headers.push(packet.slice());
    if (headers.length >= (found.codec === "vorbis" ? 3 : 2)) break;
  }
  if (!found) throw new MediaError("The file holds no sound of a kind that is read here (Vorbis, Opus or FLAC in Ogg).", "broken");
  const { codec, ident, stream } = found;
  const shape = shapeOf(codec, ident);
  checkShape(shape.channels, shape.sampleRate);
  const needed = codec === "vorbis" ? 3 : 2;
  if (headers.length < needed) throw new MediaError("The file is cut short: what stands before its sound is not all there.", "broken");
  const told = readComments(headers[1].subarray(codec === "opus" ? 8 : codec === "vorbis" ? 7 : 4), shape.sampleRate);
  let before = 0;
  let samples = opusSamples;
  if (codec === "vorbis") {
    const modes = vorbisModes(ident, headers[2]);
    samples = (packet) => {
      const block = vorbisBlock(packet, modes);
      // The first block only fills the overlap.
      const given = before === 0 ? 0 : (before + block) / 4;
      before = block;
      return given;
    };
  }
  return { codec, stream, ...shape, told, samples, headers: needed, others };
}

/** Ogg files with Vorbis, Opus or FLAC. */
export const oggFormat: AudioFormat = {
  name: "Ogg Vorbis, Opus",
  endings: [".ogg", ".oga", ".opus"],
  coding: "ogg",
  looksLike: (head) => tag(head, 0) === "OggS",
  async open(source) {
    const { channels, sampleRate, told, others } = await readHead(source);
    const notes = others > 0 ? ["The file holds more than sound; its first sound was taken."] : [];
    return { channels, sampleRate, frames: null, said: null, layout: null, told: tidy(told, Number.MAX_SAFE_INTEGER), notes };
  },
  async survey(source): Promise<Survey> {
    const head = await readHead(source);
    if (head.codec === "flac") return { whole: null, skip: 0, frames: null, said: null, cut: false, gaps: [] };
    const packets = new Packets();
    const whole: { from: number; to: number }[] = [];
    const gaps: { at: number; frames: number }[] = [];
    let [seen, decoded, missing] = [0, 0, 0];
    let [next, begin, last]: (number | null)[] = [null, null, null];
    let ended = false;
    for await (const page of pages(new Window(source), source.size)) {
      if (page.stream !== head.stream || ended) continue;
      ended = page.last;
      const broken = next !== null && page.number !== next;
      next = (page.number + 1) >>> 0;
      if (broken) packets.broken();
      addRange(whole, page.at, page.at + page.bytes);
      let given = 0;
      for (const packet of packets.of(page)) {
        seen++;
        if (seen > head.headers) given += head.samples(packet);
      }
      if (seen > head.headers && page.place !== null && page.place >= 0) {
        // Sound may begin late; its end may lie before that of its last packet.
        begin ??= Math.max(0, page.place - given - decoded);
        const behind = page.place - begin - missing - decoded - given;
        if (broken && behind > 0) {
          gaps.push({ at: decoded, frames: behind });
          missing += behind;
        }
        last = page.place - begin;
      }
      decoded += given;
    }
    if (last === null) throw new MediaError("The file holds no sound.", "broken");
    const unread = (whole.at(-1)?.to ?? 0) < source.size;
    return { whole, skip: head.skip, frames: Math.max(0, Math.min(last, decoded + missing) - head.skip), said: null, cut: unread && !ended, gaps };
  },
};
