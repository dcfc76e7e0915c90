import { readComments } from "../comments";
import { type AudioFormat, checkShape, MOST_TOLD, type Told, tag, tidy } from "../format";
import { id3Size } from "../mp3/id3";
import { type ByteSource, MediaError } from "../source";
import { Window } from "../window";
import { type StreamInfo, walkFrames } from "./frames";

const MOST_BLOCKS = 1000;

/** What stands before the frames (RFC 9639, 8). */
async function readHead(source: ByteSource): Promise<{ info: StreamInfo; frames: number; told: Partial<Told> }> {
  let at = id3Size(await source.read(0, 10));
  if (tag(await source.read(at, 4), 0) !== "fLaC") throw new MediaError("This is not a FLAC file.", "unknown");
  at += 4;
  let info: StreamInfo | undefined;
  let told: Partial<Told> = {};
  for (let blocks = 0; blocks < MOST_BLOCKS; blocks++) {
    const head = await source.read(at, 4);
    if (head.length < 4) break;
    const size = (head[1] << 16) | (head[2] << 8) | head[3];
    const kind = head[0] & 0x7f;
    const b = kind === 0 || kind === 4 ? await source.read(at + 4, Math.min(size, MOST_TOLD)) : new Uint8Array(0);
    if (kind === 0) {
      if (b.length < 34) break;
      const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
      const packed = v.getUint32(10);
      info = {
        blockSize: v.getUint16(2),
        mostBytes: (v.getUint8(7) << 16) | v.getUint16(8),
        sampleRate: packed >>> 12,
        channels: ((packed >>> 9) & 7) + 1,
        bits: ((packed >>> 4) & 31) + 1,
        total: (packed & 15) * 2 ** 32 + v.getUint32(14),
      };
      checkShape(info.channels, info.sampleRate);
      if (info.bits > 24) throw new MediaError(`The file has ${info.bits} bits a sample; FLAC of up to 24 is read.`, "broken");
      if (info.blockSize < 16) throw new MediaError("The file says that its frames hold fewer than 16 samples.", "broken");
    } else if (kind === 4 && info) told = readComments(b, info.sampleRate);
    at += 4 + size;
    if (head[0] & 0x80) {
      if (!info) break;
      return { info, frames: at, told };
    }
  }
  throw new MediaError("The file is cut short: what stands before its frames is not all there.", "broken");
}

export const flacFormat: AudioFormat = {
  name: "FLAC",
  endings: [".flac"],
  coding: "flac",
  looksLike: (head) => tag(head, 0) === "fLaC",
  async open(source) {
    const { info, told } = await readHead(source);
    return {
      channels: info.channels,
      sampleRate: info.sampleRate,
      frames: info.total || null,
      said: null,
      layout: null,
      told: tidy(told, info.total || Number.MAX_SAFE_INTEGER),
      notes: [],
    };
  },
  async survey(source) {
    const { info, frames } = await readHead(source);
    const tail = await source.read(source.size - 128, 3);
    const end = source.size - (source.size > frames + 128 && tag(tail, 0).startsWith("TAG") ? 128 : 0);
    const walk = await walkFrames(new Window(source, end), frames, end, info);
    if (walk.decoded === 0) throw new MediaError("The file holds no whole frame.", "broken");
    return {
      // A decoder is told by the head what the frames are.
      whole: [{ from: id3Size(await source.read(0, 10)), to: frames }, ...walk.whole],
      skip: 0,
      frames: walk.end,
      said: info.total > walk.end ? info.total : null,
      cut: false,
      gaps: walk.gaps,
    };
  },
};
