import { type Document, NEW_PIECE } from "../model/document";
import { playedSource } from "../model/recipe/played-recording";
import { Bundle, Clip, clipEnd, DYES, type Dye, NO_FADE, Piece, Section, type SourceInfo, Track, type VersionData } from "../model/schema";
import { InterchangeError } from "./error";

/*
 * OpenTimelineIO, the JSON of the Academy Software Foundation: one audio track of it for each line of clips that do not overlap but by blends.
 * What it has no word for stands in `metadata` under our own name, by which our files read back the same; it counts where the places beside it
 * are as they were written.
 */
const OURS = "wet_thread";
export type Json = Readonly<Record<string, unknown>>;

export const rational = (value: number, rate: number): Json => ({ OTIO_SCHEMA: "RationalTime.1", rate, value });
export const range = (start: number, duration: number, rate: number): Json => ({
  OTIO_SCHEMA: "TimeRange.1",
  start_time: rational(start, rate),
  duration: rational(duration, rate),
});

/** File names of recordings: by their own names, those that share one numbered. */
export function fileNames(sources: Iterable<SourceInfo>, ending: string): Map<string, string> {
  const names = new Map<string, string>();
  const taken = new Set<string>();
  for (const { id, name } of sources) {
    const base = name.replace(/[\\/:*?"<>|\p{Cc}]/gu, "_").replace(/^\.+/, "_") || "Recording";
    let file = `${base}${ending}`;
    for (let n = 2; taken.has(file.toLowerCase()); n++) file = `${base} ${n}${ending}`;
    taken.add(file.toLowerCase());
    names.set(id, file);
  }
  return names;
}

/** A place where a clip begins and ends on its line: at splices, where it blends. */
export interface Laid {
  readonly clip: Clip;
  readonly from: number;
  readonly to: number;
}

/** The clips of a lane in lines: on each they follow one another, and overlap only where they blend. */
export function linesOf(clips: readonly Clip[]): Laid[][] {
  const follower = new Map(clips.filter((c) => c.blend).map((c) => [(c.blend as NonNullable<Clip["blend"]>).with, c]));
  const lines: Laid[][] = [];
  const ends: Clip[] = [];
  for (const clip of [...clips].sort((a, b) => a.start - b.start || a.layer - b.layer)) {
    const after = follower.get(clip.id);
    const laid = { clip, from: clip.blend?.splice ?? clip.start, to: after?.blend?.splice ?? clipEnd(clip) };
    let at = clip.blend
      ? ends.findIndex((e) => e.id === clip.blend?.with)
      : lines.findIndex((line) => (line.at(-1) as Laid).to <= clip.start && clipEnd(ends[lines.indexOf(line)]) <= clip.start);
    if (at < 0) at = lines.push([]) - 1;
    lines[at].push(laid);
    ends[at] = clip;
  }
  return lines;
}

/** A document as an OpenTimelineIO timeline, and what other programs won't find in it. */
export function otioOf(doc: Document, name: string): { text: string; left: string[] } {
  const rate = doc.sampleRate;
  const used = new Set([...doc.clips.values()].map((c) => c.sourceId));
  const files = fileNames(
    [...doc.sources.values()].filter((s) => used.has(s.id)),
    ".wav",
  );
  let [layers, made] = [0, 0];
  const tracks: Json[] = [];
  for (const id of doc.piece.trackOrder) {
    const track = doc.tracks.get(id) as Track;
    const lines = linesOf(doc.lanes.get(id)?.clips ?? []);
    for (const [n, line] of (lines.length > 0 ? lines : [[]]).entries()) {
      if (n > 0) layers++;
      const children: Json[] = [];
      let at = 0;
      for (const [i, { clip, from, to }] of line.entries()) {
        if (from > at)
          children.push({ OTIO_SCHEMA: "Gap.1", name: "", source_range: range(0, from - at, rate), effects: [], markers: [], metadata: {} });
        if (clip.blend && i > 0) {
          const before = line[i - 1].clip;
          children.push({
            OTIO_SCHEMA: "Transition.1",
            name: "",
            transition_type: "SMPTE_Dissolve",
            in_offset: rational(from - clip.start, rate),
            out_offset: rational(clipEnd(before) - from, rate),
            metadata: {},
          });
        }
        if (clip.recipe) made++;
        const source = doc.sources.get(clip.sourceId);
        children.push({
          OTIO_SCHEMA: "Clip.2",
          name: clip.name,
          source_range: range(clip.offset + from - clip.start, to - from, rate),
          effects: [],
          markers: [],
          active_media_reference_key: "DEFAULT_MEDIA",
          media_references: {
            DEFAULT_MEDIA: {
              OTIO_SCHEMA: "ExternalReference.1",
              name: source?.name ?? "",
              target_url: encodeURI(files.get(clip.sourceId) ?? ""),
              available_range: source ? range(0, source.length, rate) : null,
              metadata: { [OURS]: { sourceId: clip.sourceId } },
            },
          },
          metadata: { [OURS]: { clip } },
        });
        at = to;
      }
      tracks.push({
        OTIO_SCHEMA: "Track.1",
        name: n === 0 ? track.name : `${track.name}, layer ${n + 1}`,
        kind: "Audio",
        source_range: null,
        effects: [],
        markers: [],
        children,
        metadata: { [OURS]: n === 0 ? { track } : { layerOf: id } },
      });
    }
  }
  const markers = [...doc.markers.values()]
    .sort((a, b) => a.position - b.position)
    .map((m) => ({
      OTIO_SCHEMA: "Marker.2",
      name: m.name,
      color: "RED",
      marked_range: range(m.position, 0, rate),
      metadata: { [OURS]: { marker: m } },
    }));
  const { trackOrder: _, ...piece } = doc.piece;
  const timeline = {
    OTIO_SCHEMA: "Timeline.1",
    name,
    global_start_time: null,
    tracks: { OTIO_SCHEMA: "Stack.1", name: "tracks", source_range: null, effects: [], markers, metadata: {}, children: tracks },
    metadata: { [OURS]: { sampleRate: rate, piece, sections: [...doc.sections.values()], bundles: [...doc.bundles.values()] } },
  };
  const left = [
    ...(layers > 0 ? [`Layers stand on ${layers === 1 ? "a track" : "tracks"} of their own; Wet Thread reads them back as layers.`] : []),
    ...(made > 0
      ? [`${made === 1 ? "1 clip is" : `${made} clips are`} stretched, turned round or treated: others find the recording's own sound there.`]
      : []),
    ...(doc.clips.size > 0 ? ["Gains, fades and pans stand beside, for Wet Thread; others may not read them."] : []),
    ...(doc.piece.tempo.length > 1 || doc.piece.meter.length > 1 ? ["Tempo and meter stand beside, for Wet Thread."] : []),
  ];
  return { text: `${JSON.stringify(timeline, null, 1)}\n`, left };
}

const isObject = (x: unknown): x is Json => typeof x === "object" && x !== null && !Array.isArray(x);
const listOf = (x: unknown): unknown[] => (Array.isArray(x) ? x : []);
const schemaOf = (x: unknown): string => (isObject(x) && typeof x.OTIO_SCHEMA === "string" ? x.OTIO_SCHEMA.split(".")[0] : "");
const textOf = (x: unknown): string =>
  typeof x === "string"
    ? x
        .replace(/\p{Cc}/gu, " ")
        .trim()
        .slice(0, 200)
    : "";
const oursOf = (x: unknown): Json => (isObject(x) && isObject(x.metadata) && isObject(x.metadata[OURS]) ? (x.metadata[OURS] as Json) : {});

/** A time in samples; null for none. Throws InterchangeError for what is no time. */
function samplesOf(x: unknown, rate: number): number | null {
  if (x === null || x === undefined) return null;
  const { value, rate: own } = isObject(x) ? x : {};
  if (typeof value !== "number" || typeof own !== "number" || !Number.isFinite(value) || !(own > 0))
    throw new InterchangeError("A time in this file can't be read.");
  const samples = own === rate ? Math.round(value) : Math.round((value * rate) / own);
  if (!Number.isSafeInteger(samples)) throw new InterchangeError("A time in this file reaches further than can be counted.");
  return samples;
}

/** What was read: a version's content, what was left out, and the recordings that are not in the project. */
export interface ReadTimeline {
  readonly name: string;
  readonly data: VersionData;
  readonly left: string[];
  readonly missing: string[];
}

const MOST_CLIPS = 200_000;

/** Beyond this, in samples, nothing of a piece lies. */
const FURTHEST = Number.MAX_SAFE_INTEGER / 4;

/** Reads a timeline into the content of a version; `sources` are the project's recordings. `newId` makes ids. Throws InterchangeError in words. */
export function readOtio(text: string, sources: ReadonlyMap<string, SourceInfo>, sampleRate: number, newId: () => string): ReadTimeline {
  let file: unknown;
  try {
    file = JSON.parse(text);
  } catch {
    throw new InterchangeError("This file can't be read: it is no whole JSON.");
  }
  return readTimeline(file, sources, sampleRate, newId);
}

/** Reads a timeline as JSON has it: what other readers come to as well. Throws InterchangeError in words. */
export function readTimeline(file: unknown, sources: ReadonlyMap<string, SourceInfo>, sampleRate: number, newId: () => string): ReadTimeline {
  if (schemaOf(file) !== "Timeline" || !isObject(file)) throw new InterchangeError("This JSON is no OpenTimelineIO timeline.");
  const stack = file.tracks;
  if (schemaOf(stack) !== "Stack" || !isObject(stack)) throw new InterchangeError("This timeline has no tracks.");
  const counts = new Map<string, number>();
  const leave = (what: string): void => void counts.set(what, (counts.get(what) ?? 0) + 1);
  const missing = new Set<string>();
  const byName = new Map([...sources.values()].map((s) => [s.name.toLowerCase(), s]));
  const sourceOf = (clip: Json): SourceInfo | null => {
    const references = isObject(clip.media_references) ? clip.media_references : {};
    const reference = isObject(clip.media_reference) ? clip.media_reference : references[String(clip.active_media_reference_key ?? "DEFAULT_MEDIA")];
    const own = oursOf(reference).sourceId;
    if (typeof own === "string" && sources.has(own)) return sources.get(own) as SourceInfo;
    const url = isObject(reference) && typeof reference.target_url === "string" ? reference.target_url : "";
    let file = url.split(/[\\/]/).at(-1) ?? "";
    try {
      file = decodeURIComponent(file);
    } catch {
      // A broken percent sign: the name as it stands.
    }
    const names = [isObject(reference) ? textOf(reference.name) : "", file.replace(/\.[A-Za-z0-9]{1,5}$/, "")];
    for (const name of names) if (name && byName.has(name.toLowerCase())) return byName.get(name.toLowerCase()) as SourceInfo;
    missing.add(textOf(file) || textOf(clip.name) || "a recording without a name");
    return null;
  };

  const tracks: Track[] = [];
  const clips: Clip[] = [];
  const ids = new Set<string>();
  const idFor = (wanted: unknown): string => {
    const id = typeof wanted === "string" && wanted.length > 0 && wanted.length <= 160 && !ids.has(wanted) ? wanted : newId();
    ids.add(id);
    return id;
  };
  const trackOf = new Map<string, string>();
  /** Fades of clips whose end a blend had taken farther, by id. */
  const outs = new Map<string, Clip["fadeOut"]>();
  for (const [n, item] of listOf(stack.children).entries()) {
    if (schemaOf(item) !== "Track" || !isObject(item)) {
      leave("nested or unknown parts of the stack");
      continue;
    }
    if (item.kind !== "Audio") {
      leave(`tracks of ${textOf(item.kind).toLowerCase() || "another kind"}`);
      continue;
    }
    const own = oursOf(item);
    let trackId = typeof own.layerOf === "string" ? trackOf.get(own.layerOf) : undefined;
    if (trackId === undefined) {
      const kept = Track.safeParse(own.track);
      trackId = idFor(kept.data?.id);
      if (kept.data) trackOf.set(kept.data.id, trackId);
      const plain: Track = {
        id: trackId,
        name: textOf(item.name) || `Track ${n + 1}`,
        color: DYES[tracks.length % DYES.length] as Dye,
        height: 96,
        mute: false,
        solo: false,
        gain: 0,
        pan: 0,
        hidden: false,
        link: null,
      };
      tracks.push(kept.data ? { ...kept.data, id: trackId, name: textOf(item.name) || kept.data.name } : plain);
    }
    let at = 0;
    const go = (by: number): void => {
      at += Math.max(0, by);
      if (at > FURTHEST) throw new InterchangeError("This timeline reaches further than can be counted.");
    };
    let before: Clip | null = null;
    let cross: { before: number; after: number } | null = null;
    for (const child of listOf(item.children)) {
      const kind = schemaOf(child);
      if (!isObject(child)) continue;
      if (listOf(child.effects).length > 0) leave("effects");
      const span = isObject(child.source_range) ? child.source_range : {};
      if (kind === "Transition") {
        cross = { before: samplesOf(child.in_offset, sampleRate) ?? 0, after: samplesOf(child.out_offset, sampleRate) ?? 0 };
        continue;
      }
      const length = samplesOf(span.duration, sampleRate);
      if (kind === "Gap") {
        go(length ?? 0);
        before = null;
        cross = null;
        continue;
      }
      if (kind !== "Clip") {
        leave("nested compositions");
        go(length ?? 0);
        before = null;
        cross = null;
        continue;
      }
      const source = sourceOf(child);
      const first = samplesOf(span.start_time, sampleRate) ?? 0;
      const long = length ?? Math.max(0, (source?.length ?? 0) - first);
      const here = at;
      go(long);
      if (!source || long < 1 || first < 0) {
        before = null;
        cross = null;
        if (source) leave("clips without a length");
        continue;
      }
      if (clips.length >= MOST_CLIPS) throw new InterchangeError(`This timeline has more than ${MOST_CLIPS} clips.`);
      const blended: boolean = cross !== null && before !== null;
      const [lead, tail]: [number, number] = blended && cross ? [Math.min(cross.before, first, here), cross.after] : [0, 0];
      const kept = Clip.safeParse(oursOf(child).clip);
      const same =
        kept.data &&
        kept.data.sourceId === source.id &&
        kept.data.start === here - lead &&
        kept.data.offset === first - lead &&
        kept.data.length >= long + lead;
      const base: Clip = same
        ? kept.data
        : {
            id: "",
            trackId,
            sourceId: source.id,
            start: here - lead,
            offset: first - lead,
            length: long + lead,
            name: textOf(child.name) || source.name,
            color: kept.data?.color ?? null,
            gain: kept.data?.gain ?? 0,
            pan: kept.data?.pan ?? 0,
            mute: kept.data?.mute ?? child.enabled === false,
            layer: 0,
            fadeIn: NO_FADE,
            fadeOut: NO_FADE,
            blend: null,
            sync: null,
            bundle: null,
          };
      const id: string = idFor(same ? kept.data?.id : undefined);
      // Where it blends with the next one, it gets back what lies behind the splice, and that fade, with the transition.
      const longer = same && base.length > long + lead;
      if (longer) outs.set(id, base.fadeOut);
      let clip: Clip = { ...base, id, trackId, blend: null, length: long + lead, ...(longer && { fadeOut: NO_FADE }) };
      const whole = playedSource(sources, clip)?.length ?? 0;
      if (clip.offset + clip.length > whole) {
        if (clip.offset >= whole) {
          leave("clips beyond the end of their recordings");
          before = null;
          cross = null;
          continue;
        }
        clip = { ...clip, length: whole - clip.offset };
      }
      if (clip.sync !== null && clip.sync >= clip.length) clip = { ...clip, sync: null };
      if (blended && before) {
        const left: Clip = before;
        const material = (playedSource(sources, left)?.length ?? 0) - left.offset - (here - left.start);
        const reach = Math.min(tail, material, clip.length - lead);
        const overlap = lead + reach;
        if (overlap > 0 && left.start + left.fadeIn.length <= clip.start && here + reach <= clipEnd(clip)) {
          const law = same && kept.data?.blend ? kept.data.blend : null;
          const shape = same && kept.data?.fadeIn.length === overlap ? kept.data.fadeIn : { length: overlap, shape: "power" as const, bend: 0 };
          const own = outs.get(left.id) ?? left.fadeOut;
          const out = own.length === overlap ? own : { length: overlap, shape: "power" as const, bend: 0 };
          clips[clips.length - 1] = { ...left, length: here + reach - left.start, fadeOut: out };
          clip = {
            ...clip,
            fadeIn: shape,
            blend: {
              law: law?.law ?? "auto",
              place: law?.place ?? "free",
              linked: law?.linked ?? true,
              with: left.id,
              splice: here,
              ...(law?.lent && { lent: law.lent }),
            },
          };
        } else leave("crossfades without material for them");
      } else if (cross) leave("fades into or out of nothing");
      // What would not fit is not kept: a fade longer than the clip it is on.
      if (!clip.fadeIn.part && !clip.fadeOut.part && clip.fadeIn.length + clip.fadeOut.length > clip.length)
        clip = { ...clip, fadeOut: NO_FADE, ...(clip.blend ? {} : { fadeIn: NO_FADE }) };
      clips.push(clip);
      before = clip;
      cross = null;
    }
  }
  const own = oursOf(file);
  const kept = Piece.safeParse({ ...NEW_PIECE, ...(isObject(own.piece) ? own.piece : {}), trackOrder: tracks.map((t) => t.id) });
  const sameRate = own.sampleRate === sampleRate;
  const piece: Piece = kept.success && sameRate ? kept.data : { ...NEW_PIECE, trackOrder: tracks.map((t) => t.id) };
  const markers = [...listOf(stack.markers)].flatMap((m) => {
    if (!isObject(m)) return [];
    const position = samplesOf(isObject(m.marked_range) ? m.marked_range.start_time : null, sampleRate);
    const mark = oursOf(m).marker;
    const color = isObject(mark) && (DYES as readonly unknown[]).includes(mark.color) ? (mark.color as Dye) : "weld";
    return position !== null && position >= 0 ? [{ id: idFor(isObject(mark) ? mark.id : undefined), position, name: textOf(m.name), color }] : [];
  });
  const sections = listOf(own.sections).flatMap((x) => Section.safeParse(x).data ?? []);
  const bundles = listOf(own.bundles).flatMap((x) => Bundle.safeParse(x).data ?? []);
  const held = new Set(bundles.map((b) => b.id));
  const data = {
    sampleRate,
    piece,
    tracks,
    clips: layered(clips.map((c) => (c.bundle !== null && !held.has(c.bundle) ? { ...c, bundle: null } : c))),
    markers,
    sections: sameRate ? sections : [],
    bundles: bundles.filter((b) => clips.some((c) => c.bundle === b.id) || bundles.some((x) => x.parent === b.id)),
  };
  return {
    name: textOf(file.name),
    data,
    left: [...counts].map(([what, n]) => (n === 1 ? `1 of: ${what}` : `${n} ${what}`)),
    missing: [...missing],
  };
}

/** Clips of one track that overlap without a blend are lifted over each other, where they are not layers already. */
function layered(clips: readonly Clip[]): Clip[] {
  const out: Clip[] = [];
  const open = new Map<string, Clip[]>();
  for (const clip of [...clips].sort((a, b) => a.start - b.start)) {
    const beside = (open.get(clip.trackId) ?? []).filter((c) => clipEnd(c) > clip.start);
    const tied = beside.filter((c) => c.id !== clip.blend?.with && c.layer === clip.layer);
    const laid = tied.length > 0 ? { ...clip, layer: Math.max(...beside.map((c) => c.layer)) + 1 } : clip;
    out.push(laid);
    open.set(clip.trackId, [...beside, laid]);
  }
  return out;
}
