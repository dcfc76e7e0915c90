import { blendAfter, type Document } from "../model/document";
import { type Clip, clipEnd, type SourceInfo } from "../model/schema";
import { FRAME_RATES, type FrameRate, formatTimecode, frameRate, frameToSample, sampleToFrame, timecodeToFrame } from "../time/timecode";
import { InterchangeError } from "./error";
import { type Json, type Laid, linesOf, type ReadTimeline, range, rational, readTimeline } from "./otio";

/*
 * Edit decision lists in the form of CMX 3600: one event for each clip, with four sound tracks at most, places in whole frames and recordings
 * called by reels of eight letters. What lies between frames, and a recording's whole name, stands in comments, by which our lists read back
 * to the sample.
 */

/** The channels of the form. */
const CHANNELS = ["A", "A2", "A3", "A4"];
/** Events of a list; what is more goes to another. */
const MOST_EVENTS = 999;
const OURS = "* WET THREAD";

export interface EdlSettings {
  /** One of FRAME_RATES; left out, the piece's own. */
  readonly frameRate?: string;
  /** What the beginning of the piece is called. */
  readonly start?: string;
}

/** A timecode as frames. Throws InterchangeError. */
function frameOf(text: string, rate: FrameRate): number {
  const parts = /^(\d{1,3}):(\d{2}):(\d{2})[:;.,](\d{2})$/.exec(text.trim());
  if (!parts) throw new InterchangeError(`"${text}" is no timecode like 01:00:00:00.`);
  const [h, m, s, f] = parts.slice(1).map(Number);
  try {
    return timecodeToFrame(h, m, s, f, rate);
  } catch (error) {
    throw new InterchangeError((error as Error).message);
  }
}

/** Reels for recordings: eight letters and digits of their names, each its own. */
export function reels(sources: Iterable<SourceInfo>): Map<string, string> {
  const out = new Map<string, string>();
  const taken = new Set<string>(["BL", "AX"]);
  for (const { id, name } of sources) {
    const base =
      name
        .normalize("NFD")
        .toUpperCase()
        .replace(/[^A-Z0-9]/g, "")
        .slice(0, 8) || "REEL";
    let reel = base;
    for (let n = 2; taken.has(reel); n++) reel = `${base.slice(0, 8 - String(n).length)}${n}`;
    taken.add(reel);
    out.set(id, reel);
  }
  return out;
}

/** The frame that begins nearest to a sample. */
function nearest(sample: number, rate: FrameRate, sampleRate: number): number {
  const on = sampleToFrame(sample, rate, sampleRate);
  return sample - frameToSample(on, rate, sampleRate) <= frameToSample(on + 1, rate, sampleRate) - sample ? on : on + 1;
}

const oneLine = (text: string): string => text.replace(/\s+/g, " ").trim();

/** A version as one or more lists, and what they can't hold. Throws InterchangeError for a start that is no timecode. */
export function edlOf(doc: Document, name: string, settings: EdlSettings = {}): { lists: string[]; left: string[] } {
  const rate = frameRate(settings.frameRate ?? doc.piece.frameRate);
  const { sampleRate } = doc;
  const zero = frameOf(settings.start ?? "01:00:00:00", rate);
  const used = new Set([...doc.clips.values()].map((c) => c.sourceId));
  const reelOf = reels([...doc.sources.values()].filter((s) => used.has(s.id)));
  const order = doc.piece.trackOrder.filter((id) => (doc.lanes.get(id)?.clips.length ?? 0) > 0);
  let [layered, between, made, late] = [0, 0, 0, 0];
  const events: (Laid & { channel: string; track: string; before: Clip | null })[] = [];
  for (const [i, id] of order.slice(0, CHANNELS.length).entries()) {
    const [line = [], ...over] = linesOf(doc.lanes.get(id)?.clips ?? []);
    layered += over.reduce((sum, l) => sum + l.length, 0);
    const track = doc.tracks.get(id)?.name ?? "";
    for (const [n, laid] of line.entries())
      events.push({ ...laid, channel: CHANNELS[i], track, before: laid.clip.blend && n > 0 ? line[n - 1].clip : null });
  }
  events.sort((a, b) => a.clip.start - b.clip.start);
  const tc = (frame: number): string => formatTimecode(frame, rate);
  const day = 24 * 3600 * rate.count;
  const written = events.map(({ clip, to, channel, track, before }, i) => {
    const follower = blendAfter(doc, clip);
    // What the next one takes over from ends where that one begins.
    const [from, until] = [clip.start, follower ? follower.start : to];
    const [first, last] = [nearest(from, rate, sampleRate), nearest(until, rate, sampleRate)];
    const length = Math.max(1, last - first);
    const inside = nearest(clip.offset, rate, sampleRate);
    if ([from, until].some((p) => frameToSample(nearest(p, rate, sampleRate), rate, sampleRate) !== p)) between++;
    if (frameToSample(inside, rate, sampleRate) !== clip.offset) between++;
    if (clip.recipe) made++;
    if (zero + first + length > day) late++;
    const source = doc.sources.get(clip.sourceId);
    const number = String((i % MOST_EVENTS) + 1).padStart(3, "0");
    const event = (reel: string, kind: string, a: number, b: number, c: number, d: number): string =>
      `${number}  ${reel.padEnd(8)} ${channel.padEnd(5)} ${kind.padEnd(8)} ${tc(a)} ${tc(b)} ${tc(zero + c)} ${tc(zero + d)}`;
    const lines: string[] = [];
    const overlap = before ? clipEnd(before) - clip.start : 0;
    if (before) {
      const out = nearest(before.offset + clip.start - before.start, rate, sampleRate);
      const frames = Math.min(999, Math.max(1, nearest(clipEnd(before), rate, sampleRate) - first));
      lines.push(event(reelOf.get(before.sourceId) as string, "C", out, out, first, first));
      lines.push(
        event(reelOf.get(clip.sourceId) as string, `D    ${String(frames).padStart(3, "0")}`, inside, inside + length, first, first + length),
      );
    } else lines.push(event(reelOf.get(clip.sourceId) as string, "C", inside, inside + length, first, first + length));
    lines.push(`* ${before ? "TO" : "FROM"} CLIP NAME: ${oneLine(clip.name || source?.name || "")}`);
    lines.push(`* SOURCE FILE: ${oneLine(source?.name ?? "")}`);
    lines.push(`${OURS} TRACK: ${oneLine(track)}`);
    const splice = before && clip.blend ? clip.blend.splice : from;
    // A clip that is faded into another is written as far as that one begins; what lies beyond is told here.
    lines.push(`${OURS} SAMPLES: ${from} ${to} ${clip.offset} ${splice} ${overlap}`);
    return lines.join("\n");
  });
  const head = (part: string): string =>
    [
      `TITLE: ${oneLine(name)}${part}`.slice(0, 80),
      `FCM: ${rate.drop ? "DROP FRAME" : "NON-DROP FRAME"}`,
      `${OURS} RATES: ${rate.id} / ${sampleRate} / ${tc(zero)}`,
      "",
    ].join("\n");
  const count = Math.max(1, Math.ceil(written.length / MOST_EVENTS));
  const lists = Array.from({ length: count }, (_, k) => {
    const own = written.slice(k * MOST_EVENTS, (k + 1) * MOST_EVENTS);
    return `${head(count > 1 ? ` ${k + 1} of ${count}` : "")}${own.join("\n")}\n`;
  });
  const extra = order.slice(CHANNELS.length).map((id) => doc.tracks.get(id)?.name || "a track");
  const left = [
    ...(extra.length > 0
      ? [`Four tracks at most: ${extra.slice(0, 6).join(", ")}${extra.length > 6 ? " …" : ""} ${extra.length === 1 ? "is" : "are"} left out.`]
      : []),
    ...(layered > 0
      ? [`${layered === 1 ? "1 clip lies" : `${layered} clips lie`} over others and ${layered === 1 ? "is" : "are"} left out: a list has no layers.`]
      : []),
    ...(between > 0
      ? [
          `${between} ${between === 1 ? "place lies" : "places lie"} between frames: written to the nearest, and exactly in comments, which Wet Thread reads back.`,
        ]
      : []),
    ...(made > 0
      ? [`${made === 1 ? "1 clip is" : `${made} clips are`} stretched, turned round or treated: others find the recording's own sound there.`]
      : []),
    ...(late > 0 ? [`${late} ${late === 1 ? "event passes" : "events pass"} 24 hours.`] : []),
    ...(count > 1 ? [`A list has ${MOST_EVENTS} events at most: ${count} lists are written.`] : []),
    ...(doc.clips.size > 0 ? ["Gains, fades, pans, tempo and markers have no place in it."] : []),
  ];
  return { lists, left };
}

interface Event {
  readonly channel: string;
  readonly reel: string;
  readonly kind: string;
  readonly frames: number;
  readonly source: readonly [number, number];
  readonly record: readonly [number, number];
  name: string;
  file: string;
  track: string;
  exact: readonly number[] | null;
}

const EVENT = /^(\d{1,6})\s+(\S+)\s+(\S+)\s+(C|D|W\d{0,3}|KB|K|KO)\s*(?:(\d{1,3})\s+)?(\d{1,3}:\d{2}:\d{2}[:;.,]\d{2})\s+(\S+)\s+(\S+)\s+(\S+)\s*$/;
/** The tracks that a channel of an event names. */
function channelsOf(text: string): string[] {
  const [sound] = text.toUpperCase().split("/");
  if (/^(A|A1|B)$/.test(sound)) return ["A"];
  if (sound === "AA") return ["A", "A2"];
  return /^A[2-4]$/.test(sound) ? [sound] : [];
}

/** Reads a list into the content of a version. `like` tells its frame rate where the list itself does not. Throws InterchangeError in words. */
export function readEdl(
  text: string,
  sources: ReadonlyMap<string, SourceInfo>,
  sampleRate: number,
  settings: EdlSettings & { readonly like: string },
  newId: () => string,
): ReadTimeline {
  const lines = text.split(/\r\n|\r|\n/);
  const told = lines.map((l) => /^\* WET THREAD RATES: (.+?) \/ (\d+) \/ (\S+)/.exec(l)).find((m) => m);
  const drop = lines.some((l) => /^FCM:\s*DROP/i.test(l));
  const named = settings.frameRate ?? told?.[1] ?? (drop ? "29.97 drop" : settings.like);
  if (!FRAME_RATES.some((r) => r.id === named)) throw new InterchangeError(`No frame rate is called "${named}".`);
  const rate = frameRate(named);
  const counts = new Map<string, number>();
  const leave = (what: string): void => void counts.set(what, (counts.get(what) ?? 0) + 1);
  const events: Event[] = [];
  let title = "";
  let last: Event[] = [];
  for (const line of lines) {
    if (/^TITLE:/i.test(line)) title = line.slice(6).trim();
    else if (/^(FCM:|\s*$|\* WET THREAD RATES:)/i.test(line)) continue;
    else if (/^\*/.test(line)) {
      const [, what, value] = /^\*\s*(FROM CLIP NAME|TO CLIP NAME|SOURCE FILE|WET THREAD TRACK|WET THREAD SAMPLES):\s*(.*)$/i.exec(line) ?? [];
      for (const event of last) {
        if (/^(FROM|TO) CLIP/i.test(what ?? "")) event.name = value.trim();
        if (/^SOURCE/i.test(what ?? "")) event.file = value.trim();
        if (/TRACK$/i.test(what ?? "")) event.track = value.trim();
        if (/SAMPLES$/i.test(what ?? "") && Number(told?.[2]) === sampleRate && /^\d+( \d+){4}$/.test(value.trim()))
          event.exact = value.trim().split(" ").map(Number);
      }
      if (!what) leave("comments of other programs");
    } else {
      const found = EVENT.exec(line.trim());
      if (!found) {
        leave(/^M2/.test(line) ? "changes of speed" : "lines that are no events");
        last = [];
        continue;
      }
      const [, , reel, channel, kind, frames, ...codes] = found;
      let places: number[];
      try {
        places = codes.map((c) => frameOf(c, rate));
      } catch (error) {
        if (!(error instanceof InterchangeError)) throw error;
        leave("events whose times can't be read");
        last = [];
        continue;
      }
      const channels = channelsOf(channel);
      if (channels.length === 0) leave("events of pictures or other channels");
      if (/^[WK]/.test(kind)) leave("wipes and keys, taken as cuts");
      if (reel.toUpperCase() === "BL") leave("events of black");
      last = channels.map((c): Event => {
        const [a, b, c1, d] = places;
        return {
          channel: c,
          reel,
          kind: kind === "D" ? "D" : "C",
          frames: Number(frames ?? 0),
          source: [a, b],
          record: [c1, d],
          name: "",
          file: "",
          track: "",
          exact: null,
        };
      });
      // The first line of a dissolve only says what is faded from.
      if (reel.toUpperCase() !== "BL" && places[3] > places[2]) events.push(...last);
    }
  }
  if (events.length === 0) throw new InterchangeError("This list holds no event of sound.");
  const hour = frameOf("01:00:00:00", rate);
  const earliest = Math.min(...events.map((e) => e.record[0]));
  const zero = settings.start ? frameOf(settings.start, rate) : told ? frameOf(told[3], rate) : earliest >= hour ? hour : 0;
  const byReel = new Map([...reels(sources.values())].map(([id, reel]) => [reel, id]));
  const byName = new Map([...sources.values()].map((s) => [s.name.toLowerCase(), s]));
  const at = (frame: number): number => frameToSample(frame, rate, sampleRate);
  const stack: Json[] = [];
  for (const channel of CHANNELS) {
    const own = events.filter((e) => e.channel === channel).sort((a, b) => a.record[0] - b.record[0]);
    if (own.length === 0) continue;
    const children: Json[] = [];
    // What is laid: from where to where, and its sound's place; a dissolve cuts in its middle where nothing says more.
    const laid = own.map((e) => {
      const [start, until] = e.exact ?? [at(Math.max(0, e.record[0] - zero)), at(Math.max(0, e.record[1] - zero))];
      const overlap = e.kind !== "D" ? 0 : e.exact ? e.exact[4] : at(Math.max(0, e.record[0] - zero) + e.frames) - start;
      const splice = e.exact ? e.exact[3] : start + Math.floor(overlap / 2);
      const file = e.file.replace(/\.[A-Za-z0-9]{1,5}$/, "");
      const source =
        [e.file, file, e.name].map((n) => byName.get(n.toLowerCase())).find((s) => s) ?? sources.get(byReel.get(e.reel.toUpperCase()) ?? "");
      let inside = e.exact ? e.exact[2] : at(e.source[0]);
      // Recordings that carry the time of day begin at a full hour of it here.
      if (source && inside >= source.length && inside % at(hour) < source.length) {
        inside %= at(hour);
        leave("times of recordings, counted from the full hour");
      }
      return { e, start, until, overlap, splice, inside, source };
    });
    let place = 0;
    for (const [i, l] of laid.entries()) {
      const from = l.overlap > 0 ? l.splice : l.start;
      const next = laid[i + 1];
      // A clip that the next one takes over from goes on to where they meet.
      const to = next && next.overlap > 0 && next.start <= l.until ? next.splice : Math.min(l.until, next ? Math.max(from, next.start) : l.until);
      if (from < place || to <= from) {
        leave("events that lie over others");
        continue;
      }
      if (from > place) children.push({ OTIO_SCHEMA: "Gap.1", source_range: range(0, from - place, sampleRate) });
      if (l.overlap > 0 && i > 0)
        children.push({
          OTIO_SCHEMA: "Transition.1",
          in_offset: rational(l.splice - l.start, sampleRate),
          out_offset: rational(l.start + l.overlap - l.splice, sampleRate),
        });
      children.push({
        OTIO_SCHEMA: "Clip.2",
        name: l.e.name || l.source?.name || l.e.reel,
        source_range: range(l.inside + from - l.start, to - from, sampleRate),
        media_reference: {
          OTIO_SCHEMA: "ExternalReference.1",
          name: l.source?.name ?? "",
          target_url: l.source ? "" : l.e.file || l.e.name || l.e.reel,
        },
      });
      place = to;
    }
    stack.push({ OTIO_SCHEMA: "Track.1", name: own[0].track || `Track ${channel}`, kind: "Audio", children });
  }
  const read = readTimeline(
    { OTIO_SCHEMA: "Timeline.1", name: title, tracks: { OTIO_SCHEMA: "Stack.1", children: stack, markers: [] } },
    sources,
    sampleRate,
    newId,
  );
  return { ...read, left: [...[...counts].map(([what, n]) => `${n} ${what}`), ...read.left] };
}
