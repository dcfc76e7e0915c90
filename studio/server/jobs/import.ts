import { CHUNK } from "@wet-thread/core/analysis/peaks";
import { hitsOfChannels, type Onset } from "@wet-thread/core/analysis/transients";
import { Resampler } from "@wet-thread/core/dsp/resampler";
import type { Told } from "@wet-thread/core/media/format";
import { formatOf } from "@wet-thread/core/media/formats";
import { MediaError } from "@wet-thread/core/media/source";
import { SURE } from "@wet-thread/core/model/clip/hits";
import { eq } from "drizzle-orm";
import { db } from "../db/client";
import { type Asking, sources } from "../db/schema";
import { Aside } from "../media/aside";
import { decode } from "../media/decode";
import { announceSource } from "../pieces/events";
import { clearSamples, SampleRows } from "../recorded/samples";
import { TAIL_MISSING } from "../recorded/sources";
import { storedBytes } from "../recorded/store";

/** Collects one channel's samples into chunks of 65,536. */
class ChunkFiller {
  private buffer = new Float32Array(CHUNK);
  private held = 0;
  private index = 0;
  length = 0;

  constructor(
    private readonly rows: SampleRows,
    private readonly channel: number,
  ) {}

  async push(samples: Float32Array): Promise<void> {
    for (let at = 0; at < samples.length; ) {
      const n = Math.min(CHUNK - this.held, samples.length - at);
      this.buffer.set(samples.subarray(at, at + n), this.held);
      this.held += n;
      at += n;
      if (this.held === CHUNK) await this.flush();
    }
    this.length += samples.length;
  }

  async flush(): Promise<void> {
    if (this.held === 0) return;
    const samples = this.buffer.subarray(0, this.held);
    // They are on their way for a while: the next chunk gets a buffer of its own.
    if (!this.rows.inFile) this.buffer = new Float32Array(CHUNK);
    this.held = 0;
    await this.rows.chunk(this.channel, this.index++, samples);
  }
}

/** Finds where something begins in each channel, in two threads beside whoever decodes: it takes several times as long as all the rest. */
class Onsets {
  private readonly sides: readonly { readonly channels: readonly number[]; readonly work: Aside<"onsets"> }[];

  constructor(channels: number, rate: number) {
    const all = Array.from({ length: channels }, (_, c) => c);
    this.sides = ([0, 1] as const).flatMap((side) => {
      const own = all.filter((c) => c % 2 === side);
      return own.length > 0 ? [{ channels: own, work: new Aside("onsets", own.length, rate, side) }] : [];
    });
  }

  /** Takes the next samples of each channel. */
  async push(planes: readonly Float32Array[]): Promise<void> {
    for (const { channels, work } of this.sides) await work.push(channels.map((c) => planes[c]));
  }

  async finish(): Promise<readonly (readonly Onset[])[]> {
    return (await Promise.all(this.sides.map(({ work }) => work.finish()))).flat();
  }

  end(): void {
    for (const { work } of this.sides) work.end();
  }
}

/** Places at a file's rate as places at the project's. */
function toldAt(told: Told, from: number, to: number): Told {
  const place = (n: number): number => Math.round((n * to) / from);
  return {
    ...told,
    marks: told.marks.map((m) => ({ ...m, position: place(m.position) })),
    loops: told.loops.map((l) => ({ start: place(l.start), end: place(l.end) })),
    timeReference: told.timeReference === null ? null : place(told.timeReference),
  };
}

/**
 * Decodes a recording to the project's rate, with its peaks. It starts from the original bytes each time, so a job that was killed
 * half way can simply run again; it ends early when the recording was taken away meanwhile. One that holds less than it says is decoded
 * as far as it goes, and then asks whether that is to be kept.
 */
export async function importSource({ sourceId }: { sourceId: string }): Promise<void> {
  const [source] = await db().select().from(sources).where(eq(sources.id, sourceId));
  if (!source || source.status === "ready" || source.status === "asking") return;
  const tell = (status: string, progress: number) => announceSource(db(), sourceId, { type: "source", sourceId, status, progress });
  let rows: SampleRows | undefined;
  let onsets: Onsets | undefined;
  try {
    await clearSamples(sourceId);
    const bytes = storedBytes(sourceId, source.bytes);
    const format = await formatOf(bytes);
    const info = await format.open(bytes);
    const inFile = info.layout !== null && info.sampleRate === source.sampleRate;
    const into = new SampleRows(sourceId, inFile);
    rows = into;
    const fillers = Array.from({ length: info.channels }, (_, c) => new ChunkFiller(into, c));
    const resamplers = info.sampleRate === source.sampleRate ? null : fillers.map(() => new Resampler(info.sampleRate, source.sampleRate));
    onsets = new Onsets(info.channels, source.sampleRate);
    const { stretches, outcome } = await decode(format, bytes, info);
    let [told, frame] = [Date.now(), 0];
    for await (const { planes, count } of stretches) {
      const ready = fillers.map((_, c) => {
        const samples = planes[c].subarray(0, count);
        return resamplers ? resamplers[c].push(samples) : samples;
      });
      if (!info.layout || resamplers)
        if (!ready.every((samples) => samples.every(Number.isFinite)))
          throw new MediaError("The file has samples so large that they can't be converted to the project's rate.", "broken");
      await onsets.push(ready);
      for (let c = 0; c < fillers.length; c++) await fillers[c].push(ready[c]);
      frame += count;
      if (Date.now() - told > 250) {
        told = Date.now();
        const progress = info.frames ? Math.min(1, frame / info.frames) : 0;
        const still = await db().update(sources).set({ status: "importing", progress }).where(eq(sources.id, sourceId)).returning({ id: sources.id });
        if (still.length === 0) return void (await into.abort());
        await tell("importing", progress);
      }
    }
    const rest = resamplers?.map((r) => r.finish());
    if (rest) await onsets.push(rest);
    for (let c = 0; c < fillers.length; c++) {
      if (rest) await fillers[c].push(rest[c]);
      await fillers[c].flush();
    }
    await into.end();
    const { length } = fillers[0];
    if (length === 0) throw new MediaError("The file holds no samples.", "broken");
    const hits = hitsOfChannels(await onsets.finish(), source.sampleRate);
    const short = askingOf(outcome, length, source.sampleRate / info.sampleRate, source.sampleRate);
    // What has been answered once is not asked again.
    const asking = source.kept ? null : short;
    if (short && source.kept) outcome.notes.push(TAIL_MISSING);
    const status = asking ? "asking" : "ready";
    await db()
      .update(sources)
      .set({
        status,
        progress: 1,
        transients: hits.filter((h) => h.strength >= SURE).map((h) => h.at),
        hits,
        length,
        channels: info.channels,
        layout: inFile ? info.layout : null,
        told: toldAt(info.told, info.sampleRate, source.sampleRate),
        notes: outcome.notes,
        asking,
        error: null,
      })
      .where(eq(sources.id, sourceId));
    await tell(status, 1);
  } catch (error) {
    await rows?.abort();
    if (!(error instanceof MediaError)) throw error;
    await clearSamples(sourceId);
    await db()
      .update(sources)
      .set({ status: "failed", error: `${error.message} The file's bytes are kept; nothing was added to the piece.` })
      .where(eq(sources.id, sourceId));
    await tell("failed", 0);
  } finally {
    onsets?.end();
  }
}

/** What is asked about a file whose end is missing; null where nothing is. */
function askingOf({ said, cut }: { said: number | null; cut: boolean }, there: number, ratio: number, rate: number): Asking | null {
  if (said === null && !cut) return null;
  const length = said === null ? null : Math.round(said * ratio);
  const seconds = (n: number): string => `${(n / rate).toFixed(3)} s`;
  const should = length === null ? "it does not tell how long it should be" : `it says that it has ${seconds(length)}`;
  return { message: `The file is cut short: ${should}, and ${seconds(there)} are there. Keep what is there?`, said: length, there };
}
