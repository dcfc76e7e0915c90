import type { Document } from "@wet-thread/core/model/document";
import type { SourceSpan } from "@wet-thread/core/render/reader";
import { Renderer, spansNeeded } from "@wet-thread/core/render/renderer";
import { StoredReader } from "../samples";

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

/** Renders [start, end) of a document, or of some of its tracks, stretch by stretch; the samples of the next come while one is rendered. */
export async function* rendered(doc: Document, start: number, end: number, tracks?: ReadonlySet<string>): AsyncGenerator<Rendered> {
  const reader = new StoredReader();
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
    const ready = reader.prepare(spans);
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
      yield { left, right, from, count };
    }
    from = to;
  }
  await now.ready;
}
