import { type AudioFormat, checkShape, latin, type Told, tag, tidy } from "../format";
import { type ByteSource, MediaError } from "../source";
import { fromBytes } from "../text";

// ISO base media files (ISO/IEC 14496-12): M4A, and files with a picture, of which the first sound is taken.

interface Box {
  readonly kind: string;
  /** Where what it holds begins, and where it ends. */
  readonly from: number;
  readonly to: number;
  /** It says that it ends later than the file does. */
  readonly cut: boolean;
}

const MOST_BOXES = 10_000;
const view = (b: Uint8Array): DataView => new DataView(b.buffer, b.byteOffset, b.byteLength);

/** The boxes that lie one after another in a stretch of the file. */
async function* boxes(source: ByteSource, from: number, to: number): AsyncGenerator<Box> {
  for (let at = from, count = 0; at + 8 <= to && count < MOST_BOXES; count++) {
    const head = await source.read(at, 16);
    if (head.length < 8) return;
    const short = view(head).getUint32(0);
    if (short === 1 && head.length < 16) return;
    const size = short === 0 ? to - at : short === 1 ? view(head).getUint32(8) * 2 ** 32 + view(head).getUint32(12) : short;
    const start = short === 1 ? 16 : 8;
    if (size < start) return;
    yield { kind: tag(head, 4), from: at + start, to: Math.min(to, at + size), cut: at + size > to };
    at += size;
  }
}

async function inside(source: ByteSource, box: Box | null, ...path: string[]): Promise<Box | null> {
  let now = box;
  for (const kind of path) {
    let found: Box | null = null;
    if (now) for await (const one of boxes(source, now.from, now.to)) if (one.kind === kind) found ??= one;
    now = found;
  }
  return now;
}

const bodyOf = (source: ByteSource, box: Box | null, most = 1 << 16): Promise<Uint8Array> =>
  box ? source.read(box.from, Math.min(most, box.to - box.from)) : Promise.resolve(new Uint8Array(0));

interface Sound {
  readonly channels: number;
  readonly sampleRate: number;
  /** The samples of the track that are played, at its own rate. */
  readonly start: number;
  readonly length: number;
}

/** Time scale and length as `mdhd` and `mvhd` both write them. */
function timesOf(b: Uint8Array): { scale: number; duration: number } {
  const wide = b[0] === 1;
  if (b.length < (wide ? 32 : 20)) return { scale: 0, duration: 0 };
  const v = view(b);
  return wide
    ? { scale: v.getUint32(20), duration: v.getUint32(24) * 2 ** 32 + v.getUint32(28) }
    : { scale: v.getUint32(12), duration: v.getUint32(16) };
}

/** What an edit list says is played of a track: from which of its samples on, and how long by the movie's clock. */
function editOf(b: Uint8Array): { start: number; duration: number } | null {
  if (b.length < 8) return null;
  const v = view(b);
  const [wide, count] = [b[0] === 1, v.getUint32(4)];
  for (let i = 0, at = 8; i < Math.min(count, 100) && at + (wide ? 20 : 12) <= b.length; i++, at += wide ? 20 : 12) {
    const duration = wide ? v.getUint32(at) * 2 ** 32 + v.getUint32(at + 4) : v.getUint32(at);
    const start = wide ? v.getInt32(at + 8) * 2 ** 32 + v.getUint32(at + 12) : v.getInt32(at + 4);
    if (start >= 0) return { start, duration };
  }
  return null;
}

async function readTrack(source: ByteSource, track: Box, movieScale: number): Promise<Sound | null> {
  const media = await inside(source, track, "mdia");
  const handler = await bodyOf(source, await inside(source, media, "hdlr"));
  if (handler.length < 12 || tag(handler, 8) !== "soun") return null;
  const { scale, duration } = timesOf(await bodyOf(source, await inside(source, media, "mdhd")));
  const entry = await bodyOf(source, await inside(source, media, "minf", "stbl", "stsd"));
  if (entry.length < 44 || scale === 0) return null;
  const v = view(entry);
  const [channels, written] = [v.getUint16(32), v.getUint16(40)];
  // Rates above 65,535 do not fit where the rate is written: there the clock of the track has it.
  const sampleRate = written || scale;
  checkShape(channels, sampleRate);
  const edit = editOf(await bodyOf(source, await inside(source, track, "edts", "elst")));
  const start = edit?.start ?? 0;
  const left = Math.max(0, duration - start);
  const asked = edit && movieScale > 0 && edit.duration > 0 ? Math.round((edit.duration * scale) / movieScale) : left;
  // A list that counts in milliseconds means the track's own end where that is as near as it can say.
  const length = Math.abs(asked - left) <= Math.ceil(scale / Math.max(1, movieScale)) ? left : Math.min(asked, left);
  const own = (n: number): number => Math.round((n * sampleRate) / scale);
  return { channels, sampleRate, start: own(start), length: own(start + length) - own(start) };
}

/** Title, and chapters as `chpl` lists them, in tenths of a microsecond. */
async function readTold(source: ByteSource, movie: Box, rate: number): Promise<Partial<Told>> {
  const user = await inside(source, movie, "udta");
  const meta = await inside(source, user, "meta");
  const named = meta && (await inside(source, { ...meta, from: meta.from + 4 }, "ilst", "\u00a9nam", "data"));
  const title = named ? fromBytes(latin((await bodyOf(source, named)).subarray(8))) : null;
  const b = await bodyOf(source, await inside(source, user, "chpl"));
  const marks: { position: number; name: string }[] = [];
  for (let at = 9; at + 9 <= b.length; at += 9 + b[at + 8]) {
    const tenths = view(b).getUint32(at) * 2 ** 32 + view(b).getUint32(at + 4);
    marks.push({ position: Math.round((tenths / 1e7) * rate), name: fromBytes(latin(b.subarray(at + 9, at + 9 + b[at + 8]))) });
  }
  return { title, marks };
}

async function readHead(source: ByteSource) {
  let [movie, cut]: [Box | null, boolean] = [null, false];
  for await (const box of boxes(source, 0, source.size)) {
    if (box.kind === "moov") movie ??= box;
    if (box.cut) cut = true;
  }
  if (!movie || (movie.cut && movie.to - movie.from < 8))
    throw new MediaError(
      cut ? "The file is cut short: the list of what is in it, which stands at its end, is missing." : "The file has no list of what is in it.",
      "broken",
    );
  const { scale } = timesOf(await bodyOf(source, await inside(source, movie, "mvhd")));
  let [sound, sounds, picture]: [Sound | null, number, boolean] = [null, 0, false];
  for await (const box of boxes(source, movie.from, movie.to)) {
    if (box.kind !== "trak") continue;
    const own = await readTrack(source, box, scale);
    if (own) sounds++;
    sound ??= own;
    const handler = await bodyOf(source, await inside(source, box, "mdia", "hdlr"));
    picture ||= handler.length >= 12 && tag(handler, 8) === "vide";
  }
  if (!sound) throw new MediaError("The file holds no sound that is read here.", "broken");
  const notes = [
    ...(picture ? ["The file has a picture; its first sound was taken."] : []),
    ...(!picture && sounds > 1 ? [`The file has ${sounds} sound tracks; the first was taken.`] : []),
  ];
  return { sound, movie, notes, cut };
}

const KINDS = ["ftyp", "moov", "mdat", "free", "wide", "skip"];

export const movFormat: AudioFormat = {
  name: "M4A (AAC, ALAC)",
  endings: [".m4a", ".mp4", ".m4b", ".mov"],
  coding: "mov",
  looksLike: (head) => head.length >= 12 && KINDS.includes(tag(head, 4)),
  async open(source) {
    const { sound, movie, notes } = await readHead(source);
    return {
      channels: sound.channels,
      sampleRate: sound.sampleRate,
      frames: sound.length || null,
      said: null,
      layout: null,
      told: tidy(await readTold(source, movie, sound.sampleRate), sound.length || Number.MAX_SAFE_INTEGER),
      notes,
    };
  },
  async survey(source) {
    const { sound, cut } = await readHead(source);
    return { whole: null, skip: sound.start, frames: sound.length || null, said: null, cut, gaps: [] };
  },
};
