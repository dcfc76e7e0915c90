import { CHUNK } from "@wet-thread/core/analysis/peaks";
import { hitsOfChannels, OnsetFinder } from "@wet-thread/core/analysis/transients";
import { Resampler } from "@wet-thread/core/dsp/resampler";
import { MediaError } from "@wet-thread/core/media/source";
import { decodeFrames, openWav } from "@wet-thread/core/media/wav/reader";
import { eq } from "drizzle-orm";
import { db } from "../db/client";
import { sources } from "../db/schema";
import { announce } from "../events";
import { clearSamples, SampleRows } from "../samples";
import { storedBytes } from "../store";

/** Bytes decoded in one go. */
const READ = 1 << 20;

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

/**
 * Decodes a recording to the project's rate, with its peaks. It starts from the original bytes each time, so a job that was killed
 * half way can simply run again; it ends early when the recording was taken away meanwhile.
 */
export async function importSource({ sourceId }: { sourceId: string }): Promise<void> {
  const [source] = await db().select().from(sources).where(eq(sources.id, sourceId));
  if (!source || source.status === "ready") return;
  const { projectId } = source;
  const tell = (status: string, progress: number) => announce(db(), { type: "source", projectId, sourceId, status, progress });
  let rows: SampleRows | undefined;
  try {
    await clearSamples(sourceId);
    const bytes = storedBytes(sourceId, source.bytes);
    const info = await openWav(bytes);
    const asIs = info.sampleRate === source.sampleRate;
    const into = new SampleRows(sourceId, asIs);
    rows = into;
    const fillers = Array.from({ length: info.channels }, (_, c) => new ChunkFiller(into, c));
    const resamplers = asIs ? null : fillers.map(() => new Resampler(info.sampleRate, source.sampleRate));
    const framesARead = Math.floor(READ / info.frameBytes);
    const onsets = fillers.map(() => new OnsetFinder(source.sampleRate));
    const planes = fillers.map(() => new Float32Array(framesARead));
    const read = (frame: number) =>
      bytes.read(info.dataOffset + frame * info.frameBytes, Math.min(framesARead, Math.max(0, info.frames - frame)) * info.frameBytes);
    let told = Date.now();
    let coming = read(0);
    for (let frame = 0; frame < info.frames; frame += framesARead) {
      const n = Math.min(framesARead, info.frames - frame);
      const now = await coming;
      // The next bytes come while these are worked on.
      coming = read(frame + framesARead);
      coming.catch(() => {});
      const bad = decodeFrames(now, info, planes);
      if (bad)
        throw new MediaError(
          `The file has samples that are not numbers, the first at sample ${frame + bad.frame} of channel ${bad.channel + 1}.`,
          "broken",
        );
      for (let c = 0; c < fillers.length; c++) {
        const samples = planes[c].subarray(0, n);
        const ready = resamplers ? resamplers[c].push(samples) : samples;
        if (resamplers && !ready.every(Number.isFinite))
          throw new MediaError("The file has samples so large that they can't be converted to the project's rate.", "broken");
        onsets[c].push(ready);
        await fillers[c].push(ready);
      }
      if (Date.now() - told > 250) {
        told = Date.now();
        const progress = frame / info.frames;
        const still = await db().update(sources).set({ status: "importing", progress }).where(eq(sources.id, sourceId)).returning({ id: sources.id });
        if (still.length === 0) return void (await into.abort());
        await tell("importing", progress);
      }
    }
    for (let c = 0; c < fillers.length; c++) {
      const rest = resamplers?.[c].finish();
      if (rest) onsets[c].push(rest);
      if (rest) await fillers[c].push(rest);
      await fillers[c].flush();
    }
    await into.end();
    const transients = hitsOfChannels(
      onsets.map((o) => o.finish()),
      source.sampleRate,
    );
    const { sampleRate: _, ...layout } = info;
    await db()
      .update(sources)
      .set({
        status: "ready",
        progress: 1,
        transients,
        length: fillers[0].length,
        channels: info.channels,
        layout: asIs ? layout : null,
        error: null,
      })
      .where(eq(sources.id, sourceId));
    await tell("ready", 1);
  } catch (error) {
    await rows?.abort();
    if (!(error instanceof MediaError)) throw error;
    await clearSamples(sourceId);
    await db()
      .update(sources)
      .set({ status: "failed", error: `${error.message} The file's bytes are kept; nothing was added to the piece.` })
      .where(eq(sources.id, sourceId));
    await tell("failed", 0);
  }
}
