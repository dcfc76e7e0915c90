import { type AudioFormat, checkShape, type Survey, tag, tidy } from "../format";
import { type ByteSource, MediaError } from "../source";
import { addRange, Window } from "../window";
import { type FrameHeader, headerAt, reservoir, sameStream } from "./frames";
import { id3Size, readId3 } from "./id3";

/** Samples by which every decoder of layer III is late. */
const DECODER_DELAY = 529;
/** How far the first frame is looked for. */
const MOST_JUNK = 1 << 16;
/** Bytes of the longest frame. */
const MOST_FRAME = 2881;

/** The first place from `at` on where a frame begins and the next one follows it, or the file ends with it. */
function frameFrom(b: Uint8Array, at: number, last: boolean, like: FrameHeader | null): { at: number; header: FrameHeader } | null {
  for (let place = at; place + 4 <= b.length; place++) {
    const next = b.indexOf(0xff, place);
    if (next < 0) return null;
    place = next;
    const header = headerAt(b, place);
    if (!header || (like && !sameStream(header, like))) continue;
    const following = headerAt(b, place + header.bytes);
    if (following ? sameStream(following, header) : last && place + header.bytes === b.length) return { at: place, header };
  }
  return null;
}

/** What the first frame tells instead of sound: how many frames follow, and what an encoder put before and after. */
interface Lead {
  readonly frames: number | null;
  readonly delay: number | null;
  readonly padding: number;
}

function leadOf(b: Uint8Array, header: FrameHeader): Lead | null {
  const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
  if (b.length >= 36 + 18 && tag(b, 36) === "VBRI") return { frames: v.getUint32(36 + 14), delay: null, padding: 0 };
  const at = header.side;
  if (b.length < at + 8 || !["Xing", "Info"].includes(tag(b, at))) return null;
  const flags = v.getUint32(at + 4);
  const has = (bit: number, size: number): number => (flags & bit ? size : 0);
  const frames = flags & 1 && b.length >= at + 12 ? v.getUint32(at + 8) : null;
  const encoder = at + 8 + has(1, 4) + has(2, 4) + has(4, 100) + has(8, 4);
  if (b.length < encoder + 24 || b[encoder] === 0) return { frames, delay: null, padding: 0 };
  const [delay, padding] = [(b[encoder + 21] << 4) | (b[encoder + 22] >> 4), ((b[encoder + 22] & 15) << 8) | b[encoder + 23]];
  return { frames, delay, padding };
}

interface Head {
  readonly first: number;
  readonly header: FrameHeader;
  readonly lead: Lead | null;
  /** Where sound ends: an older tag may follow it. */
  readonly end: number;
}

async function readHead(source: ByteSource): Promise<Head> {
  const tagged = id3Size(await source.read(0, 10));
  const b = await source.read(tagged, MOST_JUNK);
  const found = frameFrom(b, 0, tagged + b.length >= source.size, null);
  if (!found) throw new MediaError("This file is not audio of a kind that is read here: no frame of MP3 was found in it.", "unknown");
  checkShape(found.header.channels, found.header.sampleRate);
  const old = source.size >= 128 && tag(await source.read(source.size - 128, 4), 0).startsWith("TAG") ? 128 : 0;
  const lead = leadOf(b.subarray(found.at, found.at + found.header.bytes), found.header);
  return { first: tagged + found.at + (lead ? found.header.bytes : 0), header: found.header, lead, end: source.size - old };
}

/** Samples that are cut off in front, and how many are left of some frames. */
function trimmed({ lead, header }: Head, frames: number): { skip: number; length: number } {
  const all = frames * header.frames;
  if (!lead || lead.delay === null) return { skip: 0, length: all };
  const skip = lead.delay + DECODER_DELAY;
  return { skip, length: Math.max(0, Math.min(all - lead.delay - lead.padding, all - skip)) };
}

export const mp3Format: AudioFormat = {
  name: "MP3",
  endings: [".mp3", ".mp2"],
  coding: "mp3",
  looksLike: (head) => tag(head, 0).startsWith("ID3") || headerAt(head, 0) !== null,
  async open(source) {
    const head = await readHead(source);
    const frames = head.lead?.frames ? trimmed(head, head.lead.frames).length : null;
    return {
      channels: head.header.channels,
      sampleRate: head.header.sampleRate,
      frames,
      said: null,
      layout: null,
      told: tidy(await readId3(source, head.header.sampleRate), frames ?? Number.MAX_SAFE_INTEGER),
      notes: [],
    };
  },
  async survey(source): Promise<Survey> {
    const head = await readHead(source);
    const { header: first, end } = head;
    const window = new Window(source, end);
    const whole: { from: number; to: number }[] = [];
    /** Stretches in which no frame was found: after how many frames, and how many bytes. */
    const holes: { after: number; bytes: number }[] = [];
    /** Borders at which frames do not go together: a frame may be missing there. */
    const breaks: { after: number; by: number }[] = [];
    let [count, sound, left] = [0, 0, 0];
    for (let at = head.first; at < end; ) {
      const have = await window.have(at, 2 * MOST_FRAME + 8);
      const b = window.bytes.subarray(at - window.base, Math.min(window.bytes.length, at - window.base + have));
      const header = headerAt(b, 0);
      const follows = header && (headerAt(b, header.bytes) !== null || at + header.bytes >= end);
      if (header && follows && sameStream(header, first) && at + header.bytes <= end) {
        addRange(whole, at, at + header.bytes);
        if (header.layer === 3) {
          const now = reservoir(b, 0, header);
          if (now.begins !== left && count > 0) breaks.push({ after: count, by: now.begins - left });
          left = now.left;
        }
        count++;
        sound += header.bytes;
        at += header.bytes;
        continue;
      }
      const next = frameFrom(b, 1, at + b.length >= end, first);
      // A frame may begin in what is at hand, and end beyond it.
      const to = next ? at + next.at : at + b.length >= end ? end : at + Math.max(1, b.length - 2 * MOST_FRAME);
      const last = holes.at(-1);
      if (last?.after === count) last.bytes += to - at;
      else holes.push({ after: count, bytes: to - at });
      at = to;
    }
    if (count === 0) throw new MediaError("The file holds no whole frame.", "broken");
    const said = head.lead?.frames ?? null;
    const missing = said === null ? 0 : Math.max(0, said - count);
    const inside = holes.filter((h) => h.after < count);
    const brokenOff = holes.length > inside.length;
    // A frame that left no trace is where the frames around it do not go together; of those the one that lacks most.
    const lacks = breaks.filter((b) => b.by > 0).sort((a, b) => b.by - a.by)[0] ?? breaks.sort((a, b) => a.by - b.by)[0];
    if (missing > 0 && inside.length === 0 && !brokenOff && lacks) inside.push({ after: lacks.after, bytes: 0 });
    const mean = sound / count;
    const lost = inside.map((h) => Math.max(1, Math.round(h.bytes / mean)));
    if (said !== null) {
      // The count is told: each stretch gets its share, and what is left lay at the end, where the file breaks off, or else in the last of them.
      let rest = missing;
      for (const [i, n] of lost.entries()) {
        lost[i] = i === lost.length - 1 && !brokenOff ? rest : Math.min(rest, n);
        rest -= lost[i];
      }
    }
    const gaps = inside.map((h, i) => ({ at: h.after * first.frames, frames: lost[i] * first.frames })).filter((g) => g.frames > 0);
    const there = count + lost.reduce((a, b) => a + b, 0);
    const complete = said === null || there >= said;
    const { skip, length } = trimmed(head, there);
    return {
      whole,
      skip,
      // Where the end is missing, so is what an encoder had put after it.
      frames: complete ? length : there * first.frames - skip,
      said: complete || said === null ? null : trimmed(head, said).length,
      cut: false,
      gaps,
    };
  },
};
