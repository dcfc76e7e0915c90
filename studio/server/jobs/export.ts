import type { Loudness } from "@wet-thread/core/analysis/loudness";
import { Resampler } from "@wet-thread/core/dsp/resampler";
import { MediaError } from "@wet-thread/core/media/source";
import { OUT_FORMATS } from "@wet-thread/core/media/writers";
import { eq } from "drizzle-orm";
import { db } from "../db/client";
import { type ExportedFile, exportBytes, exportJobs, versions } from "../db/schema";
import { Aside } from "../media/aside";
import { encoded, type SampleBlock } from "../media/encode";
import { type ExportPart, exportParts } from "../out/export-parts";
import { type ExportSpec, rateOf } from "../out/export-request";
import { namesOf } from "../out/exports";
import { announce } from "../pieces/events";
import { loadVersionAt } from "../pieces/versions";
import { zipOf } from "../process/zip";
import { exportWriter } from "../recorded/store";
import { rendered, SoundMissing } from "./rendering";

/** An export that was called off while it was under way. */
class CalledOff extends Error {}

/** Below the ceiling by so much that no other meter finds it passed. */
const HAIR = 0.005;

/** What an export says of how far it is: calls `tell` now and then. Throws CalledOff. */
class Progress {
  private done = 0;
  private told = Date.now();

  constructor(
    private readonly whole: number,
    private readonly tell: (progress: number) => Promise<boolean>,
  ) {}

  async add(frames: number): Promise<void> {
    this.done += frames;
    if (Date.now() - this.told < 250) return;
    this.told = Date.now();
    if (!(await this.tell(Math.min(1, this.done / this.whole)))) throw new CalledOff();
  }
}

/** The sound of one file, before anything is done to it but what its channels and rate ask for. */
async function* soundOf(part: ExportPart, spec: ExportSpec, rate: number, progress: Progress): AsyncGenerator<SampleBlock> {
  const { doc, start, end } = part.open();
  const resamplers = rate === doc.sampleRate ? null : Array.from({ length: spec.channels }, () => new Resampler(doc.sampleRate, rate));
  for await (const { left, right, count } of rendered(doc, start, end, part.tracks)) {
    if (spec.channels === 1) for (let i = 0; i < count; i++) left[i] = (left[i] + right[i]) / 2;
    const planes = spec.channels === 1 ? [left] : [left, right];
    if (resamplers) {
      const ready = planes.map((p, c) => resamplers[c].push(p.subarray(0, count)));
      if (ready[0].length > 0) yield { planes: ready, count: ready[0].length };
    } else yield { planes, count };
    await progress.add(count);
  }
  const rest = resamplers?.map((r) => r.finish());
  if (rest && rest[0].length > 0) yield { planes: rest, count: rest[0].length };
}

/** How much a file is turned up to come to what is asked, and what kept it from it. */
function gainFor({ normalise, ceiling, measure }: ExportSpec, loudness: Loudness): { gain: number; notes: string[] } {
  if (!normalise) return { gain: 0, notes: [] };
  const byLoudness = "loudness" in normalise;
  const [is, wished] = byLoudness ? [loudness.integrated, normalise.loudness] : [loudness.samplePeak, normalise.peak];
  if (is === null)
    return {
      gain: 0,
      notes: [byLoudness ? "Nothing in it is loud enough to be measured: it was left as it is." : "It is silent: it was left as it is."],
    };
  const most = ceiling - HAIR - (loudness.truePeak ?? 0);
  const gain = wished - is;
  if (gain <= most) return { gain, notes: [] };
  const short = gain - most < 0.1 ? "less than 0.1" : (gain - most).toFixed(1);
  const came = measure ? "It would come out" : "It came out";
  return { gain: most, notes: [`${came} ${short} dB below what is asked: more would pass a true peak of ${ceiling} dBTP.`] };
}

/** What is lost, or may be, where peaks stand above full scale: whole numbers hold no more, and of a coded file most players play no more. */
function pastFullScale({ format, encoding, measure }: ExportSpec, { samplePeak }: Loudness): string[] {
  const { samples } = OUT_FORMATS[format];
  if (samplePeak === null || samplePeak < 0.01 || (samples && encoding === "float32")) return [];
  const above = `Its peaks stand ${Math.max(0.1, samplePeak).toFixed(1)} dB above full scale`;
  if (!samples) return [`${above}, where most players cut them off. Asked for a level, it keeps them whole.`];
  const lost = `what is more than ${encoding === "pcm16" ? 16 : 24} bits hold ${measure ? "would be" : "was"} cut off`;
  const floats = (samples as readonly string[]).includes("float32") ? ", or in 32 float," : "";
  return [`${above}: ${lost}. Asked for a level${floats} it keeps them whole.`];
}

/** What was measured, once all of it is turned up. */
function turned(l: Loudness, gain: number): Loudness {
  const up = (v: number | null): number | null => (v === null ? null : v + gain);
  const { overTime } = l;
  return {
    ...l,
    integrated: up(l.integrated),
    momentaryMax: up(l.momentaryMax),
    shortTermMax: up(l.shortTermMax),
    truePeak: up(l.truePeak),
    samplePeak: up(l.samplePeak),
    overTime: { ...overTime, momentary: overTime.momentary.map(up), shortTerm: overTime.shortTerm.map(up) },
  };
}

/** Most values of loudness over time that are kept of a file: those of a long one are put together, the loudest of each few. */
const MOST_VALUES = 3000;
function thinned(l: Loudness): Loudness {
  const { step, momentary, shortTerm } = l.overTime;
  const few = Math.ceil(momentary.length / MOST_VALUES);
  if (few <= 1) return l;
  const thin = (list: readonly (number | null)[]): (number | null)[] =>
    Array.from({ length: Math.ceil(list.length / few) }, (_, i) =>
      list.slice(i * few, (i + 1) * few).reduce<number | null>((m, v) => (v === null ? m : m === null ? v : Math.max(m, v)), null),
    );
  return { ...l, overTime: { step: step * few, momentary: thin(momentary), shortTerm: thin(shortTerm) } };
}

/** Renders a version, as it was when the export was asked for, to its files. Run again after a crash it starts anew. */
export async function runExport({ exportId }: { exportId: string }): Promise<void> {
  const [job] = await db().select().from(exportJobs).where(eq(exportJobs.id, exportId));
  if (!job || job.status === "ready" || job.status === "failed") return;
  const spec = job.spec as ExportSpec;
  const [{ projectId }] = await db().select({ projectId: versions.projectId }).from(versions).where(eq(versions.id, job.versionId));
  const tell = (status: "rendering" | "ready" | "failed", progress: number) =>
    announce(db(), { type: "export", projectId, exportId, status, progress });
  await db().delete(exportBytes).where(eq(exportBytes.exportId, exportId));
  await db().update(exportJobs).set({ status: "rendering", progress: 0 }).where(eq(exportJobs.id, exportId));
  const { doc, name: version } = await loadVersionAt(job.versionId, job.revision);
  const parts = exportParts(doc, spec);
  const names = await namesOf(spec, parts, version, projectId);
  const rate = rateOf(spec, doc.sampleRate);
  const passes = !spec.measure && (spec.normalise || spec.format === "bwf") ? 2 : 1;
  const whole = parts.reduce((sum, p) => sum + p.length, 0) * passes;
  const progress = new Progress(whole, async (now) => {
    const still = await db().update(exportJobs).set({ progress: now }).where(eq(exportJobs.id, exportId)).returning({ id: exportJobs.id });
    if (still.length > 0) await tell("rendering", now);
    return still.length > 0;
  });
  const files: ExportedFile[] = [];
  const at = (n: number): number => Math.round((n * rate) / doc.sampleRate);

  /** All of a part's sound, measured as it goes by. */
  async function* measured(part: ExportPart, meter: Aside<"loudness">): AsyncGenerator<SampleBlock> {
    for await (const piece of soundOf(part, spec, rate, progress)) {
      await meter.push(piece.planes, piece.count);
      yield piece;
    }
  }
  async function measure(part: ExportPart): Promise<Loudness> {
    const meter = new Aside("loudness", spec.channels, rate);
    try {
      for await (const _ of measured(part, meter)) {
        // What is measured is not kept.
      }
      return await meter.finish();
    } finally {
      meter.end();
    }
  }
  async function* turnedUp(part: ExportPart, gain: number): AsyncGenerator<SampleBlock> {
    const factor = 10 ** (gain / 20);
    for await (const piece of soundOf(part, spec, rate, progress)) {
      if (gain !== 0) for (const p of piece.planes) for (let i = 0; i < piece.count; i++) p[i] *= factor;
      yield piece;
    }
  }

  /** The bytes of one file; what it came to is noted when they have all been given. */
  async function* fileOf(part: ExportPart, index: number): AsyncGenerator<Uint8Array> {
    const { start, end } = part.open();
    const frames = Math.ceil(((end - start) * rate) / doc.sampleRate);
    // What is turned up is measured before it is written, and so is what tells its loudness at its beginning.
    const before = spec.measure || spec.normalise || spec.format === "bwf" ? await measure(part) : null;
    const { gain, notes } = before ? gainFor(spec, before) : { gain: 0, notes: [] };
    const meter = before ? null : new Aside("loudness", spec.channels, rate);
    let bytes = 0;
    try {
      if (!spec.measure) {
        const loudness = before && turned(before, gain);
        const marks = spec.markers
          ? [...doc.markers.values()]
              .filter((m) => m.position >= start && m.position < end)
              .map((m) => ({ position: at(m.position - start), name: m.name }))
          : [];
        const stamp = job.createdAt.toISOString();
        const broadcast = loudness &&
          spec.format === "bwf" && {
            description: spec.tags.title ?? names[index],
            originator: "Wet Thread",
            date: stamp.slice(0, 10),
            time: stamp.slice(11, 19),
            timeReference: at(start),
            loudness,
          };
        const writing = {
          format: spec.format,
          samples: spec.encoding ?? "pcm24",
          channels: spec.channels,
          sampleRate: rate,
          frames,
          bits: spec.bits,
          quality: spec.quality,
          dither: spec.dither,
          seed: spec.seed,
          tags: spec.tags,
          marks: marks.sort((a, b) => a.position - b.position),
          ...(broadcast && { broadcast }),
        } as const;
        for await (const piece of encoded(writing, meter ? measured(part, meter) : turnedUp(part, gain))) {
          bytes += piece.length;
          yield piece;
        }
      }
      const loudness = thinned(before ? turned(before, spec.measure ? 0 : gain) : await (meter as Aside<"loudness">).finish());
      const kept = { gain: spec.measure ? 0 : gain, notes: [...notes, ...pastFullScale(spec, before ? turned(before, gain) : loudness)] };
      files.push({ name: names[index], bytes, length: frames, sampleRate: rate, ...kept, loudness });
    } finally {
      meter?.end();
    }
  }

  const writer = exportWriter(exportId);
  try {
    if (parts.length === 1 || spec.measure)
      for (const [i, part] of parts.entries()) for await (const piece of fileOf(part, i)) await writer.write(piece);
    else
      for await (const piece of zipOf(parts.map((part, i) => ({ name: names[i], pieces: () => fileOf(part, i), large: true }))))
        await writer.write(piece);
    await writer.finish();
  } catch (error) {
    if (error instanceof CalledOff) return;
    if (!(error instanceof SoundMissing || error instanceof MediaError)) throw error;
    await db().update(exportJobs).set({ status: "failed", error: error.message }).where(eq(exportJobs.id, exportId));
    return void (await tell("failed", 0));
  } finally {
    await writer.abort();
  }
  await db().update(exportJobs).set({ status: "ready", progress: 1, bytes: writer.size, files }).where(eq(exportJobs.id, exportId));
  await tell("ready", 1);
}
