import { setImmediate as turn } from "node:timers/promises";
import { EditError } from "@wet-thread/core/edit/errors";
import { sfzOf } from "@wet-thread/core/interchange/sfz";
import { safeName } from "@wet-thread/core/media/file-names";
import { Dither, encodeFrames, wavHeader } from "@wet-thread/core/media/wav/writer";
import type { Document } from "@wet-thread/core/model/document";
import { Name } from "@wet-thread/core/model/schema";
import { MOST_SLICE_SECONDS, MOST_SLICES, Slice } from "@wet-thread/core/model/slices";
import { Renderer, spansNeeded } from "@wet-thread/core/render/renderer";
import { playedSlice, slicePiece } from "@wet-thread/core/render/slices";
import { z } from "zod";
import { loadVersion } from "../pieces/versions";
import { zipOf } from "../process/zip";
import { madeFirst } from "../recorded/made";
import { StoredReader } from "../recorded/samples";

// A slice kit as an instrument for samplers: one WAV a slice, and an SFZ file that puts them on keys.

export const KitRequest = z.object({
  name: Name.optional().describe("left out, the version's"),
  slices: z.array(Slice).min(1, "There are no slices.").max(MOST_SLICES).describe("one a key, from 36 up"),
});

/** Frames that are encoded in one go. */
const BLOCK = 65_536;

/** One slice's file: 24 bits, turned round where it is; its gain and pitch stand in the SFZ file. */
async function* wavOf(piece: Document, slice: Slice): AsyncGenerator<Uint8Array> {
  const length = slice.end - slice.start;
  const reader = new StoredReader(madeFirst);
  await reader.prepare(spansNeeded(piece, 0, length));
  const both = [new Float32Array(length), new Float32Array(length)];
  new Renderer(piece, reader).render(0, length, both[0], both[1]);
  const [left, right] = playedSlice(both, { reverse: slice.reverse, cents: 0, gain: 0 }, piece.sampleRate);
  const mono = left.every((v, i) => v === right[i]);
  const channels = mono ? [left] : [left, right];
  yield wavHeader(channels.length, piece.sampleRate, "i24", length);
  const dither = new Dither(1);
  for (let at = 0; at < length; at += BLOCK) {
    const count = Math.min(BLOCK, length - at);
    yield encodeFrames(
      channels.map((c) => c.subarray(at, at + count)),
      count,
      "i24",
      dither,
    );
    await turn();
  }
}

/** A kit's zip as it is made, and its name. Throws EditError for a slice of a clip that is not there, or is too long. */
export async function kitOf(
  versionId: string,
  { name: wished, slices }: z.output<typeof KitRequest>,
): Promise<{ zip: AsyncIterable<Uint8Array>; name: string }> {
  const { doc, name: version } = await loadVersion(versionId);
  const pieces = slices.map((slice) => {
    const piece = slicePiece(doc, slice);
    if (!piece) throw new EditError(`The clip of slice ${slice.name || slice.clipId} is not there, or no longer covers it.`, "slices");
    if (slice.end - slice.start > MOST_SLICE_SECONDS * doc.sampleRate)
      throw new EditError(`A slice is at most ${MOST_SLICE_SECONDS} seconds long; ${slice.name || "one"} is longer.`, "slices");
    return { piece, slice };
  });
  const name = safeName(wished || `${version} kit`);
  const files = pieces.map(({ slice }, i) => `${String(i + 1).padStart(2, "0")} ${safeName(slice.name || "Slice")}.wav`);
  const instrument = sfzOf(
    name,
    pieces.map(({ slice }, i) => ({ file: files[i], gain: slice.gain, cents: slice.cents })),
  );
  const sounds = pieces.map(({ piece, slice }, i) => ({ name: files[i], pieces: () => wavOf(piece, slice), packed: true }));
  return { zip: zipOf([{ name: `${name}.sfz`, content: instrument }, ...sounds]), name: `${name}.zip` };
}
