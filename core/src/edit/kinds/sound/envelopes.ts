import { z } from "zod";
import { withPointAt } from "../../../dsp/envelope";
import {
  envelopeOf,
  LINE_BOUNDS,
  LINE_KINDS,
  type LineKind,
  ownPlace,
  ownWindow,
  playedSource,
  runsBackwards,
} from "../../../model/recipe/played-recording";
import {
  type Clip,
  clipEnd,
  type EnvelopePoint,
  GainLine,
  MOST_PITCH,
  MOST_POINTS,
  PanLine,
  PitchLine,
  Position,
  type SourceInfo,
} from "../../../model/schema";
import { ClipIds, countNames, defineEdit, TrackIds } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { recordingOf, retimed, timingOf } from "../../remaking/remake";

const Kind = z.enum(LINE_KINDS);
type Kind = LineKind;
const NAMES: Readonly<Record<Kind, string>> = { gain: "Gain", pan: "Pan", pitch: "Pitch" };
const LINES = { gain: GainLine, pan: PanLine, pitch: PitchLine };
/** A point as it is given: of a clip's own time it may lie before its start. */
const Points = z
  .array(z.object({ at: z.int(), value: z.number(), hold: z.literal(true).optional() }))
  .min(1, "An envelope has at least one point.")
  .max(MOST_POINTS, `An envelope has at most ${MOST_POINTS} points.`);

/** Points at places of what a clip plays, at those of the recording itself, where they are kept; of two that fall on one sample the later counts. */
function asKept(clip: Clip, points: readonly EnvelopePoint[], source: SourceInfo): EnvelopePoint[] {
  if (!clip.recipe || points.some((p, i) => i > 0 && p.at <= points[i - 1].at)) return [...points];
  const place = (at: number): number => Math.max(0, Math.min(source.length - 1, ownPlace(source, clip, at)));
  const turned = runsBackwards(clip.recipe);
  const kept = new Map<number, EnvelopePoint>();
  points.forEach((p, i) => {
    const { hold, ...point } = p;
    const next = points[i + 1];
    kept.set(place(p.at), turned ? point : p);
    // What runs backwards keeps its value up to the next point, which comes before it in the recording: from behind that one on it holds.
    const from = turned && hold && next ? Math.max(place(next.at - 1), place(next.at) + 1) : null;
    if (from !== null && from < place(p.at)) kept.set(from, { ...point, hold });
  });
  return [...kept].map(([at, p]) => ({ ...p, at })).sort((a, b) => a.at - b.at);
}

/** A clip with another envelope of a kind, or without one; refused in words where the points are no line. */
function withLine(source: SourceInfo, clip: Clip, kind: Kind, points: readonly EnvelopePoint[] | null): Clip {
  const line = points && LINES[kind].safeParse(points);
  if (line && !line.success) throw new EditError(`${NAMES[kind]} envelope: ${line.error.issues[0].message}`, "points");
  if (kind === "pitch") {
    const { pitchLine: _, ...timing } = timingOf(clip) ?? {};
    const { recipe: __, ...plain } = clip;
    const recipe = retimed(source, clip, { ...timing, ...(line && { pitchLine: line.data }) }, "points");
    return { ...plain, ...(recipe && { recipe }) };
  }
  const { envelopes: old, ...rest } = clip;
  const { [kind]: _, ...others } = old ?? {};
  if (line) return { ...rest, envelopes: { ...others, [kind]: line.data } };
  return Object.keys(others).length ? { ...rest, envelopes: others } : rest;
}

export const setEnvelope = defineEdit({
  type: "set-envelope",
  law: { sound: "clips", fields: [...WINDOW, "envelopes", "recipe"], lays: "none" },
  about:
    "Draws an envelope over clips: lines of gain in dB (-144 to 24), added to the clip's own, or of pan (-1 to 1), or of pitch in cents (-2400 to 2400; how long they last stays); null takes it off. `at` counts in samples of the recording as the clip plays it or, `from` the clip, from each clip's start; a point with `hold` keeps its value until the next.",
  params: z.object({
    clipIds: ClipIds,
    kind: Kind.default("gain"),
    points: Points.nullable(),
    from: z.enum(["recording", "clip"]).default("recording"),
  }),
  example: {
    type: "set-envelope",
    clipIds: ["clip-1"],
    kind: "gain",
    points: [
      { at: 0, value: 0 },
      { at: 24000, value: -6 },
    ],
  },
  apply(tx, { clipIds, kind, points, from }) {
    const clips = [...new Set(clipIds)].map((id) => tx.clip(id));
    for (const clip of clips) {
      const source = recordingOf(tx, clip);
      const length = playedSource(tx.before.sources, clip)?.length ?? 0;
      const shift = from === "clip" ? clip.offset : 0;
      const played = points?.map((p) => ({ ...p, at: p.at + shift })) ?? null;
      const early = played?.find((p) => p.at < 0);
      if (early) throw new EditError("A point lies before the beginning of the recording.", "points");
      if (played?.some((p) => p.at >= length)) throw new EditError("A point lies beyond the end of the recording.", "points");
      tx.setClip(withLine(source, clip, kind, played && asKept(clip, played, source)));
    }
    const who = countNames(
      clips.map((c) => c.name),
      "clip",
    );
    return points === null ? `Take ${kind} envelope off ${who}` : `Draw ${kind} of ${who}`;
  },
});

/** At both edges of a span that is moved up or down the line goes there in this time. */
const RAMP_SECONDS = 0.01;

/** The line moved by some value between two places that a clip plays, with ramps at those edges that lie inside it. */
function moved(line: readonly EnvelopePoint[], kind: Kind, from: number, to: number, by: number, ramp: number): EnvelopePoint[] {
  const [least, most] = LINE_BOUNDS[kind];
  // Silence moved up is silence.
  const up = (p: EnvelopePoint): EnvelopePoint =>
    kind === "gain" && p.value <= least ? p : { ...p, value: Math.max(least, Math.min(most, p.value + by)) };
  const r = Math.min(ramp, Math.floor((to - from - 1) / 2));
  const last = to - 1;
  const [top, foot] = [from + r, last - r];
  const whole = [from, top, foot, last].reduce((points, at) => withPointAt(points, at, kind), line);
  return whole.flatMap((p): EnvelopePoint[] => {
    if (p.at < from || p.at >= last) return [p];
    // Ramps run straight from the edge to what was moved.
    if (p.at === from || p.at === foot) {
      const { hold: _, ...point } = p.at === from ? p : up(p);
      return [p.at === from && r === 0 ? up(p) : point];
    }
    return p.at >= top && p.at < foot ? [up(p)] : [];
  });
}

export const shiftEnvelope = defineEdit({
  type: "shift-envelope",
  law: { sound: "span", fields: ["envelopes", "recipe"], lays: "none" },
  about:
    "Moves the envelopes of what lies in a range up or down: gain by some dB, pan by a part, pitch by some cents, with ramps of 10 ms at the range's edges. Clips without one get one.",
  params: z
    .object({
      start: Position,
      end: Position,
      trackIds: TrackIds,
      kind: Kind.default("gain"),
      by: z
        .number()
        .min(-2 * MOST_PITCH)
        .max(2 * MOST_PITCH),
    })
    .refine((p) => p.end > p.start, { message: "A range ends after it starts.", path: ["end"] }),
  example: { type: "shift-envelope", start: 12000, end: 36000, trackIds: ["track-1"], kind: "gain", by: -6 },
  apply(tx, { start, end, trackIds, kind, by }) {
    const names: string[] = [];
    const ramp = Math.round(RAMP_SECONDS * tx.before.sampleRate);
    for (const id of new Set(trackIds)) {
      tx.track(id, "trackIds");
      for (const clip of tx.lane(id).within(start, end)) {
        const source = recordingOf(tx, clip);
        const [first, last] = [Math.max(start, clip.start), Math.min(end, clipEnd(clip))].map((p) => clip.offset + p - clip.start);
        if (last - first < 4) continue;
        // Its line lies on the recording itself.
        const { from, to } = ownWindow(source, { ...clip, offset: first, length: last - first });
        if (to - from < 4) continue;
        const own = Math.max(1, Math.round((ramp * (to - from)) / (last - first)));
        tx.setClip(withLine(source, clip, kind, moved(envelopeOf(clip, kind) ?? [{ at: 0, value: 0 }], kind, from, to, by, own)));
        names.push(clip.name);
      }
    }
    if (names.length === 0) throw new EditError("No clip lies in the range.", "trackIds");
    return `${NAMES[kind]} over range, ${countNames(names, "clip")}`;
  },
});
