import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey } from "@wet-thread/core/edit/registry";
import { timebaseOf } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatChange } from "@wet-thread/core/time/format";
import type { GridStep } from "@wet-thread/core/time/grid-step";
import { nudged } from "@wet-thread/core/time/nudge";
import { settings, stepInForce } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { edited, modeRules } from "@/state/view/modes";
import { setView, type TimeRange, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { placePlayhead } from "@/timeline/gestures/range-gestures";
import { selectedClips } from "./actions";
import { showAftermath } from "./aftermath";
import { Runs } from "./runs";

/** What of the selection a nudge moves: all of it, one edge, or the audio inside. */
export type NudgePart = "all" | "start" | "end" | "inside";

const PART_NAMES: Readonly<Record<NudgePart, string>> = { all: "", start: " start of", end: " end of", inside: " inside" };

/** The mode line's value, as it counts at this zoom and place. */
function stepNow(): GridStep {
  const set = settings();
  const { samplesPerPixel, start } = view();
  const base = timebaseOf(session().doc);
  return set.nudge.kind === "grid" ? stepInForce(set, samplesPerPixel, base, Math.max(0, base.tempo.ticksAt(start))) : set.nudge.step;
}

/** How long one nudge is at the playhead, in samples. */
export function nudgeLength(): number {
  const at = Math.round(view().playhead);
  return Math.max(1, nudged(at, 1, stepNow(), timebaseOf(session().doc)) - at);
}

/** Something that is nudged. */
interface Target {
  readonly what: string;
  /** Where it is now; null for what is told by its run alone, as sound that goes while its bounds stay. */
  readonly at: number | null;
  /** Where a run of it begins. */
  readonly from: number;
  /** It may go before zero: what lies in a recording, not on the timeline. */
  readonly free?: true;
  /** Brings it somewhere, as a part of a row of steps; false where that was refused, which has been said. */
  go(to: number, by: number, row: string): boolean;
}

const edit = (edits: readonly Edit[], name: string, row: string): boolean => session().edit(edits, name, row) !== false;

/** In a sequence a nudge moves only the clip itself: changing places takes more than a step. */
function rulesOfNudge() {
  const rules = modeRules();
  return rules.neighbours === "reorder" ? { ...rules, neighbours: "hold" as const } : rules;
}

/** A marker or section that is chosen; null where none is. */
function markTarget(): Target | null {
  const { doc } = session();
  const id = view().markId ?? "";
  const marker = doc.markers.get(id);
  if (marker) {
    const { position: at, name } = marker;
    return { what: id, at, from: at, go: (position, _, row) => edit([{ type: "set-marker", id, position }], `Nudge marker ${name}`, row) };
  }
  const section = doc.sections.get(id);
  if (!section) return null;
  const { start: at, end, name } = section;
  return { what: id, at, from: at, go: (start, by, row) => edit([{ type: "set-section", id, start, end: end + by }], `Nudge section ${name}`, row) };
}

function clipsTarget(clips: readonly Clip[], part: NudgePart): Target {
  const [first] = clips;
  const clipIds = clips.map((c) => c.id);
  const places = { start: first.start, end: clipEnd(first), inside: first.start - first.offset, all: Math.min(...clips.map((c) => c.start)) };
  const name = `Nudge${PART_NAMES[part]} ${clips.length === 1 ? first.name : `${clips.length} clips`}`;
  const editOf = (by: number): Edit => {
    if (part === "all") return { type: "move", clipIds, by, ...rulesOfNudge() };
    if (part === "inside") return { type: "shift-inside", clipIds, by };
    return { type: "trim", clipIds, edge: part, by, ...modeRules() };
  };
  return {
    what: clipIds.join(" "),
    at: places[part],
    from: places[part],
    ...(part === "inside" && { free: true }),
    go(_, by, row) {
      const done = session().edit([editOf(by)], name, row);
      showAftermath(done, new Set(clipIds));
      return done !== false;
    },
  };
}

function rangeTarget(range: TimeRange, part: "all" | "start" | "end"): Target {
  const at = part === "end" ? range.end : range.start;
  return {
    what: "range",
    at,
    from: at,
    go(to, by) {
      const next = part === "all" ? { start: to, end: range.end + by } : { start: range.start, end: range.end, [part]: to };
      if (next.end <= next.start) toast("A range ends after it starts.", { id: "nudge" });
      else setView({ range: { ...range, ...next } });
      return next.end > next.start;
    },
  };
}

/** The sound inside the range, whose bounds stay: it is split out first. */
function insideTarget({ start, end, trackIds }: TimeRange): Target {
  return {
    what: `inside ${start} ${end} ${trackIds.join(" ")}`,
    at: null,
    from: start,
    free: true,
    go(_, by, row) {
      const { doc } = session();
      const split: Edit = { type: "split-range", start, end, trackIds: [...trackIds], key: newKey() };
      try {
        // Its own key makes the ids of the pieces the same when it is done for good.
        const after = applyEdits(doc, [edited(split, doc.sampleRate)]).doc;
        const inside = trackIds.flatMap((id) => (after.lanes.get(id)?.within(start, end) ?? []).map((c) => c.id));
        return edit([split, { type: "shift-inside", clipIds: inside, by }], "Nudge inside the range", row);
      } catch (error) {
        if (!(error instanceof EditError)) throw error;
        toast.error(error.message, { id: "nudge" });
        return false;
      }
    },
  };
}

/** What is nudged: the chosen mark, else the selected clips or a part of them, else the range, else the playhead; null where there is no such part. */
function targetOf(part: NudgePart): Target | null {
  const { range, playhead } = view();
  const clips = selectedClips();
  const mark = part === "all" ? markTarget() : null;
  if (mark) return mark;
  if (clips.length > 0) return clipsTarget(clips, part);
  if (range) return part === "inside" ? insideTarget(range) : rangeTarget(range, part);
  if (part !== "all") return null;
  const at = Math.round(playhead);
  const go = (to: number): boolean => {
    placePlayhead(to);
    return true;
  };
  return { what: "playhead", at, from: at, go };
}

/** A run of nudges: where it began, how many there were and where that came to, so that n nudges land where one of n times the value would. */
let run: { readonly what: string; readonly row: string; readonly base: number; readonly count: number; readonly to: number } | null = null;
const runs = new Runs();

/** Nudges by the mode line's value. */
export function nudge(direction: 1 | -1, part: NudgePart = "all"): void {
  const base = timebaseOf(session().doc);
  const step = stepNow();
  const target = targetOf(part);
  if (!target) return void toast("Select the clips to nudge first.", { id: "nudge" });
  const what = JSON.stringify([part, target.what, step]);
  const row = runs.row(what);
  // What is told by its run alone goes on in it as long as it is the same row.
  const goesOn = run?.what === what && (target.at === null ? run.row === row : run.to === target.at);
  const { base: began, count, to: at } = goesOn && run ? run : { base: target.from, count: 0, to: target.from };
  const to = nudged(began, count + direction, step, base);
  if (to < 0 && !target.free) return void toast("That would go before zero.", { id: "nudge" });
  if (!target.go(to, to - at, row)) return;
  run = { what, row, base: began, count: count + direction, to };
  toast(`Nudged ${formatChange(to - began, base.sampleRate)} in all`, { id: "nudge", duration: 1800 });
}
