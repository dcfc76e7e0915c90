import type { Document } from "@wet-thread/core/model/document";
import { ofPlayedId } from "@wet-thread/core/model/recipe/played-recording";
import type { SourceSpan } from "@wet-thread/core/render/reader";
import { isAudible, Renderer, soloCounts, spansNeeded } from "@wet-thread/core/render/renderer";
import { madeFirst } from "../recorded/made";
import { StoredReader } from "../recorded/samples";
import { BytesMissing } from "../recorded/store";

/** Frames rendered in one go. */
const BLOCK = 65_536;
/** Samples are fetched for several blocks at once, as long as that is not more than so many stretches of recordings. */
const MOST_BLOCKS = 4;
const MOST_STRETCHES = 128;

/** A stretch of a render: both channels, of which the first `count` samples count, and where it begins. They are used again for the next. */
export interface Rendered {
  readonly left: Float32Array;
  readonly right: Float32Array;
  readonly from: number;
  readonly count: number;
}

/** The sound of a clip that is to be rendered is not there: what would come out is silence where something should be heard. */
export class SoundMissing extends Error {}

const unread = (doc: Document, sourceId: string): SoundMissing =>
  new SoundMissing(
    `Samples of ${doc.sources.get(sourceId)?.name || "a recording"} could not be read. What was made so far is not kept; the piece is as it was.`,
  );

/** Looks whether every clip that is heard in a stretch has its recording. Throws SoundMissing. */
function checkSound(doc: Document, start: number, end: number, tracks?: ReadonlySet<string>): void {
  const anySolo = soloCounts(doc, tracks);
  for (const [id, lane] of doc.lanes) {
    const track = doc.tracks.get(id);
    if ((tracks && !tracks.has(id)) || !track || !isAudible(track, anySolo)) continue;
    for (const clip of lane.within(start, end)) {
      if (clip.mute || doc.sources.has(clip.sourceId)) continue;
      throw new SoundMissing(
        `The recording of ${clip.name || "a clip"} on ${track.name || "a track"} is not there, or not ready. Nothing was rendered; the piece is as it was.`,
      );
    }
  }
}

/** Renders [start, end) of a document, or of some of its tracks, stretch by stretch; the samples of the next come while one is rendered. Throws SoundMissing. */
export async function* rendered(doc: Document, start: number, end: number, tracks?: ReadonlySet<string>): AsyncGenerator<Rendered> {
  checkSound(doc, start, end, tracks);
  const reader = new StoredReader(madeFirst);
  const renderer = new Renderer(doc, reader, { tracks });
  const [left, right] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
  const group = (from: number): { to: number; ready: Promise<void> } => {
    let to = Math.min(end, from + BLOCK);
    let spans: SourceSpan[] = from < end ? spansNeeded(doc, from, to, tracks) : [];
    for (let more = 2; more <= MOST_BLOCKS && to < end; more++) {
      const further = spansNeeded(doc, from, Math.min(end, from + more * BLOCK), tracks);
      if (further.length * more > MOST_STRETCHES) break;
      to = Math.min(end, from + more * BLOCK);
      spans = further;
    }
    const ready = reader.prepare(spans).catch((error) => {
      throw error instanceof BytesMissing ? unread(doc, error.sourceId) : error;
    });
    // Met when it is waited for.
    ready.catch(() => {});
    return { to, ready };
  };
  let now = group(start);
  for (let from = start; from < end; ) {
    await now.ready;
    const { to } = now;
    now = group(to);
    for (; from < to; from += BLOCK) {
      const count = Math.min(BLOCK, to - from);
      renderer.render(from, count, left, right);
      if (renderer.missing !== null) {
        throw unread(doc, ofPlayedId(renderer.missing).sourceId);
      }
      yield { left, right, from, count };
    }
    from = to;
  }
  await now.ready;
}
