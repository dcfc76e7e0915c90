import type { Edit } from "@wet-thread/core/edit/registry";
import { envelopeOf, LINE_BOUNDS, LINE_KINDS, type LineKind, playedSource } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip } from "@wet-thread/core/model/schema";
import { session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { lineEdit } from "@/timeline/gestures/draw-gesture";
import { type DrawnLine, lineOf, roundedValue, STEPS, valueWords } from "@/timeline/model/envelope-lines";
import { laneBoxes } from "@/timeline/model/geometry";
import { selectedClips } from "../edit/actions";
import { Runs } from "../edit/runs";

const many = (n: number, name: string): string => (n === 1 ? name : `${n} clips`);

/** Plays the selected clips, or what lies in the range, backwards; again, forwards. */
export function reverse(): void {
  const { range } = view();
  if (range) return void session().edit([{ type: "reverse-range", start: range.start, end: range.end, trackIds: [...range.trackIds] }]);
  const clips = selectedClips();
  if (clips.length === 0) return void toast("Select clips, or make a range, to reverse it.", { id: "select" });
  session().edit([{ type: "reverse", clipIds: clips.map((c) => c.id) }]);
}

/** Gain of the selected clips by some dB; in a range its envelopes go up or down. Several in a row are one step. */
export function gainBy(by: number): void {
  const { range } = view();
  const words = `${by < 0 ? "−" : "+"}${Math.abs(by)} dB`;
  if (range) {
    const edit: Edit = { type: "shift-envelope", start: range.start, end: range.end, trackIds: [...range.trackIds], kind: "gain", by };
    return void session().edit([edit], `Gain ${words} over range`);
  }
  const clips = selectedClips();
  if (clips.length === 0) return void toast("Select clips, or make a range, to change the gain.", { id: "select" });
  const ids = clips.map((c) => c.id);
  if (!session().edit([{ type: "set-gain", clipIds: ids, by }], `Gain of ${many(ids.length, clips[0].name)}`, runs.row(ids.join(" ")))) return;
  const gain = session().doc.clips.get(ids[0])?.gain ?? 0;
  toast(ids.length === 1 ? `Gain ${valueWords("gain", gain)}` : `Gain ${words}`, { id: "gain", duration: 1500 });
}

const runs = new Runs();

const hasEnvelope = (clip: Clip): boolean => LINE_KINDS.some((kind) => envelopeOf(clip, kind));

/** The envelopes that were copied, counted from their clip's start as it plays them. */
let held: { readonly [kind in LineKind]?: { at: number; value: number; hold?: true }[] } | null = null;

export function copyEnvelopes(): void {
  const { doc } = session();
  const [clip] = selectedClips();
  if (!clip || !hasEnvelope(clip)) return void toast("Select a clip with an envelope to copy it.", { id: "select" });
  const box = laneBoxes(doc).find((b) => b.trackId === clip.trackId);
  held = Object.fromEntries(
    LINE_KINDS.flatMap((kind) => {
      const line = box && envelopeOf(clip, kind) && lineOf(doc, view(), box, kind, clip);
      return line ? [[kind, line.points.map(({ at, value, hold }) => ({ at: at - clip.start, value, ...(hold && { hold }) }))]] : [];
    }),
  );
  toast(`Copied the envelopes of ${clip.name}`, { id: "clipboard", duration: 1500 });
}

export function pasteEnvelopes(): void {
  const clips = selectedClips();
  if (!held) return void toast("Copy the envelopes of a clip first.", { id: "clipboard" });
  if (clips.length === 0) return void toast("Select the clips to lay them on.", { id: "select" });
  const { doc } = session();
  const edits = clips.flatMap((clip) =>
    LINE_KINDS.flatMap((kind): Edit[] => {
      const length = playedSource(doc.sources, clip)?.length ?? 0;
      // What lies outside the recording here can't be kept.
      const points = held?.[kind]?.filter((p) => p.at + clip.offset >= 0 && p.at + clip.offset < length);
      return points?.length ? [{ type: "set-envelope", clipIds: [clip.id], kind, points, from: "clip" }] : [];
    }),
  );
  if (edits.length) session().edit(edits, `Lay envelopes on ${many(clips.length, clips[0].name)}`);
}

export function clearEnvelopes(): void {
  const clips = selectedClips().filter(hasEnvelope);
  if (clips.length === 0) return void toast("No selected clip has an envelope.", { id: "select" });
  const edits = LINE_KINDS.flatMap((kind): Edit[] => {
    const ids = clips.filter((c) => envelopeOf(c, kind)).map((c) => c.id);
    return ids.length ? [{ type: "set-envelope", clipIds: ids, kind, points: null }] : [];
  });
  session().edit(edits, `Take envelopes off ${many(clips.length, clips[0].name)}`);
}

/** The line that the chosen point is of. */
function chosenLine(): { line: DrawnLine; point: DrawnLine["points"][number] } | null {
  const { point } = view();
  if (!point) return null;
  const { doc } = session();
  const clip = point.kind === "ride" ? null : (doc.clips.get(point.id) ?? null);
  const box = laneBoxes(doc).find((b) => b.trackId === (clip?.trackId ?? point.id));
  const line = box && lineOf(doc, view(), box, point.kind, clip);
  const found = line?.points.find((p) => p.index === point.index);
  return line && found ? { line, point: found } : null;
}

const taken = ({ clip }: DrawnLine, p: { at: number; value: number; hold?: true }) => ({
  at: clip ? clip.offset + p.at - clip.start : p.at,
  value: p.value,
  ...(p.hold && { hold: p.hold }),
});

/** The chosen point up or down by what values snap to: a dB, a tenth of pan, a semitone; false where none is chosen. */
export function pointBy(steps: number): boolean {
  const chosen = chosenLine();
  if (!chosen) return false;
  const { line, point } = chosen;
  const [least, most] = LINE_BOUNDS[line.kind === "ride" ? "gain" : line.kind];
  const value = roundedValue(line.kind, Math.max(least, Math.min(most, point.value + steps * STEPS[line.kind][0])), false);
  const points = line.points.map((p) => taken(line, p === point ? { ...p, value } : p));
  if (session().edit([lineEdit(line, points)], "Move a point")) toast(valueWords(line.kind, value), { id: "point", duration: 1200 });
  return true;
}

/** The chosen point earlier or later, as far as its neighbours let it; false where none is chosen. */
export function pointAlong(by: number): boolean {
  const chosen = chosenLine();
  if (!chosen) return false;
  const { line, point } = chosen;
  const i = line.points.indexOf(point);
  const least = i > 0 ? line.points[i - 1].at + 1 : line.clip ? Number.NEGATIVE_INFINITY : 0;
  const most = i + 1 < line.points.length ? line.points[i + 1].at - 1 : Number.POSITIVE_INFINITY;
  const at = Math.max(least, Math.min(most, point.at + by));
  session().edit(
    [
      lineEdit(
        line,
        line.points.map((p) => taken(line, p === point ? { ...p, at } : p)),
      ),
    ],
    "Move a point",
  );
  return true;
}

/** Takes the chosen point away; false where none is chosen. */
export function deletePoint(): boolean {
  const chosen = chosenLine();
  if (!chosen) return false;
  const { line, point } = chosen;
  const rest = line.points.filter((p) => p !== point).map((p) => taken(line, p));
  if (session().edit([lineEdit(line, rest.length ? rest : null)], "Take a point away")) setView({ point: null });
  return true;
}
