import { picksOf } from "@wet-thread/core/edit/takes/lanes";
import { alike } from "@wet-thread/core/model/alike";
import { runsBackwards } from "@wet-thread/core/model/recipe/played-recording";
import { type Bundle, type Clip, clipEnd, type TakeLane } from "@wet-thread/core/model/schema";
import { setSettings, settings } from "@/state/kept/settings";
import { ask, ServerError } from "@/state/sync/api";
import { inVersion, type Session, session } from "@/state/sync/session";
import { selectClips, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { selectedClips } from "./actions";
import { minus } from "./words";

export type Stack = Bundle & { readonly takes: readonly TakeLane[] };

const isStack = (b: Bundle | undefined): b is Stack => b?.takes !== undefined;

/** The take stack that is meant: that of the selection, else the one under the playhead on the chosen track, else the only one there is. */
export function stackMeant(): Stack | null {
  const { doc } = session();
  for (const clip of selectedClips()) {
    const found = clip.bundle === null ? undefined : doc.bundles.get(clip.bundle);
    if (isStack(found)) return found;
  }
  const all = [...doc.bundles.values()].filter(isStack);
  const { trackId, playhead, range } = view();
  const on = all.filter((b) => b.trackId === trackId || range?.trackIds.includes(b.trackId));
  return on.find((b) => reachOf(b).start <= playhead && reachOf(b).end >= playhead) ?? on[0] ?? (all.length === 1 ? all[0] : null);
}

/** From where to where any lane of a stack has sound. */
export function reachOf(stack: Stack): { start: number; end: number } {
  const clips = stack.takes.flatMap((l) => l.clips);
  if (clips.length === 0) return { start: stack.start, end: stack.start };
  return { start: Math.max(0, stack.start + Math.min(...clips.map((c) => c.at))), end: stack.start + Math.max(...clips.map((c) => c.at + c.length)) };
}

/** The blend at borders between picks, as long as the fade of new edges, or 10 ms where that is none. */
const border = (): number => Math.round(((settings().edgeFadeMs || 10) / 1000) * session().doc.sampleRate);

/** Makes the selected clips, which lie over each other, a take stack, and shows its lanes. */
export function stackTakes(): void {
  const clips = selectedClips();
  if (clips.length < 2) return void toast("Select takes that lie over each other on a track, to stack them.", { id: "takes" });
  const done = session().edit([{ type: "stack-takes", clipIds: clips.map((c) => c.id), border: border() }]);
  if (!done) return;
  setSettings({ takes: true });
  const { doc } = session();
  const made = clips.map((c) => doc.clips.get(c.id)?.bundle ?? null).find((b) => b !== null);
  const stack = made === undefined || made === null ? undefined : doc.bundles.get(made);
  if (isStack(stack))
    selectClips(
      doc,
      picksOf(doc, stack).map((c) => c.id),
    );
}

/** As `stackMeant`; says so where there is none. */
export const needStack = (): Stack | null => {
  const found = stackMeant();
  if (!found) toast("Select a take stack. Takes that lie over each other are stacked first.", { id: "takes" });
  return found;
};

/** Picks a stretch from a lane. */
export function pickLane(stack: Stack, lane: TakeLane, start: number, end: number): boolean {
  return !!session().edit([
    { type: "pick", bundleId: stack.id, laneId: lane.id, start: Math.max(0, Math.round(start)), end: Math.max(1, Math.round(end)), border: border() },
  ]);
}

/** Picks the lane before or after the one that is heard at the playhead, for the range or else for the pick that lies there. */
export function pickBeside(direction: 1 | -1): void {
  const stack = needStack();
  if (!stack) return;
  const { doc } = session();
  const { playhead, range } = view();
  const at = range ? range.start : playhead;
  const picks = picksOf(doc, stack);
  const now = picks.find((c) => c.start <= at && clipEnd(c) > at) ?? picks[0];
  if (!now) return;
  const shown = stack.takes.filter((l) => !l.hidden);
  const index = shown.findIndex((l) => l.id === now.take);
  const lane = shown[(index + direction + shown.length) % shown.length];
  if (lane) pickLane(stack, lane, range?.start ?? now.blend?.splice ?? now.start, range?.end ?? clipEnd(now));
}

export function flattenTakes(): void {
  const stack = needStack();
  if (stack) session().edit([{ type: "flatten", bundleId: stack.id }]);
}

export function openOutTakes(): void {
  const stack = needStack();
  if (stack) session().edit([{ type: "open-out", bundleId: stack.id }]);
}

/** Moves a lane to where it is most alike to the one that is picked there, within a second. */
export const lineUp = (stack: Stack, lane: TakeLane): Promise<void> => inVersion((own) => lineUpIn(own, stack, lane));

async function lineUpIn(own: Session, stack: Stack, lane: TakeLane): Promise<void> {
  try {
    await own.settled();
    const { versionId } = own.store.getState();
    const { by, likeness, sure } = await ask<{ by: number; likeness: number; sure: boolean }>(`/api/versions/${versionId}/line-up`, {
      json: { bundleId: stack.id, laneId: lane.id },
    });
    const alike = `likeness ${minus(likeness.toFixed(2))}${likeness < 0 ? ", turned over" : ""}`;
    if (!sure) return void toast(`${lane.name} stays: it is like the others nowhere for sure (${alike}).`, { id: "takes", duration: 6000 });
    if (by === 0) return void toast(`${lane.name} lies where it is most alike already (${alike}).`, { id: "takes" });
    const ms = Math.abs((by / own.doc.sampleRate) * 1000).toFixed(1);
    if (own.edit([{ type: "move-lane", bundleId: stack.id, laneId: lane.id, by, border: border() }], `Line up ${lane.name}`))
      toast(`${lane.name}: ${ms} ms ${by > 0 ? "later" : "earlier"} (${alike})`, { id: "takes" });
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(error.message);
  }
}

/** Names, colours, rates or hides a lane. */
export const setLane = (stack: Stack, lane: TakeLane, to: Record<string, unknown>): void =>
  void session().edit([{ type: "set-lane", bundleId: stack.id, laneId: lane.id, ...to }]);

/** Moves all of a lane's sound, in samples. */
export const moveLane = (stack: Stack, lane: TakeLane, by: number): void =>
  void session().edit([{ type: "move-lane", bundleId: stack.id, laneId: lane.id, by: Math.round(by) }]);

export const removeLane = (stack: Stack, lane: TakeLane): void => void session().edit([{ type: "remove-lane", bundleId: stack.id, laneId: lane.id }]);

/** Does edits to a whole take, as one step. */
export function changeLane(stack: Stack, lane: TakeLane, edits: readonly Record<string, unknown>[]): void {
  if (edits.length === 0) return;
  session().edit(edits.map((edit) => ({ type: "change-lane", bundleId: stack.id, laneId: lane.id, edit, border: border() })));
}

/** What makes a whole take run, last, sound and be treated as one pick of it; nothing where it does already. */
export function editsAsPick(stack: Stack, lane: TakeLane, pick: Clip): Record<string, unknown>[] {
  const within = pick.start - stack.start;
  const was = lane.clips.find((c) => within >= c.at && within < c.at + c.length) ?? lane.clips[0];
  if (!was) return [];
  const factorOf = ({ recipe }: Pick<Clip, "recipe">): number => (recipe?.stretch ? recipe.stretch.to / recipe.stretch.from : 1);
  const { recipe = {} } = pick;
  const had = was.recipe ?? {};
  const factor = factorOf(pick) / factorOf(was);
  const kind = recipe.stretch?.kind;
  return [
    ...(runsBackwards(pick.recipe) === runsBackwards(was.recipe) ? [] : [{ type: "reverse" }]),
    ...(factor === 1 ? [] : [{ type: "stretch", factor, ...(kind && { kind }) }]),
    ...((recipe.pitch ?? 0) === (had.pitch ?? 0) ? [] : [{ type: "set-pitch", cents: recipe.pitch ?? 0 }]),
    ...(alike(recipe.treat?.chain, had.treat?.chain) ? [] : [{ type: "treat", chain: recipe.treat?.chain ?? null }]),
  ];
}
