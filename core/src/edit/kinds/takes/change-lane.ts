import { z } from "zod";
import { alike } from "../../../model/alike";
import { clipProblems } from "../../../model/invariants";
import { type Bundle, type Clip, clipEnd, Id, type TakeClip, type TakeLane } from "../../../model/schema";
import { defineEdit, type EditDefinition } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { overlapParams } from "../../laying/overlap";
import { neighbourParams } from "../../opening/neighbours";
import { timingOf } from "../../remaking/remake";
import { BorderLength, clearPicks, fillHoles, laneOf, pickFrom, picksOf, repick, setLanes, stackOf, stacksAlike, takeClip } from "../../takes/lanes";
import type { Transaction } from "../../transaction";

/** What edits take about the clips around theirs: a take has none. */
const OUTSIDE: ReadonlySet<string> = new Set(["clipIds", ...Object.keys({ ...overlapParams, ...neighbourParams })]);

type Stack = Bundle & { readonly takes: readonly TakeLane[] };

/** A take's clips are laid so far behind everything, in samples, while they are edited: nothing there is in their way. */
const CLEAR = 1_000_000;

/**
 * The edit that does another one to a whole take. `inner` are those that it can do: each changes the clips that it names, where they lie, and makes
 * no others.
 */
export function changeLaneWith(inner: readonly EditDefinition[]): EditDefinition {
  const byType = new Map(inner.map((e) => [e.type, e]));
  const types = inner.map((e) => e.type) as [string, ...string[]];
  return defineEdit({
    type: "change-lane",
    law: { sound: "stack", fields: [...WINDOW, "gain", "pan", "mute", "color", "name", "envelopes", "hits", "recipe", "conform"] },
    about: `Does an edit to a whole take, as if its lane were one clip: what is picked of it, and what is picked of it later, is what it then plays there. What was done to a pick alone (its gain, pan, mute, colour and name) stays with it. The edit is given without its clips: ${types.join(", ")}.`,
    params: z.object({
      bundleId: Id,
      laneId: Id,
      edit: z.looseObject({ type: z.enum(types) }).describe("the edit, without clipIds, key and links"),
      border: BorderLength,
    }),
    example: { type: "change-lane", bundleId: "stack-1", laneId: "take-2", edit: { type: "reverse" } },
    apply(tx, { bundleId, laneId, edit, border }) {
      const definition = byType.get(edit.type) as EditDefinition;
      const first = stackOf(tx, bundleId);
      const index = first.takes.indexOf(laneOf(first, laneId));
      const { name } = first.takes[index];
      if (first.takes[index].clips.length === 0) throw new EditError(`${name || "The take"} has no sound.`, "laneId");
      for (const stack of stacksAlike(tx, bundleId)) {
        const lane = stack.takes[index];
        repick(tx, stack.id, { length: border }, () => {
          const held = picksOf(tx.doc, stack).filter((c) => c.take === lane.id);
          for (const c of held) clearPicks(tx, stack.id, c.start, clipEnd(c));
          const clips = edited(tx, stack, lane, definition, edit);
          setLanes(
            tx,
            stack,
            stack.takes.map((l) => (l === lane ? { ...l, clips } : l)),
          );
          for (const pick of held) pickAgain(tx, stack, lane, pick);
          fillHoles(tx, stack.id);
        });
      }
      return `${words(definition, edit)}: all of ${name || "a take"}`;
    },
  });
}

const words = ({ type }: EditDefinition, edit: Record<string, unknown>): string =>
  ({ reverse: "Reverse", treat: edit.chain === null ? "Treatment off" : "Treat", "shift-inside": "Shift inside", "as-recorded": "As recorded" })[
    type
  ] ?? type.replace("set-", "").replace(/^./, (c) => c.toUpperCase());

/** The clips of a lane after an edit of all of them. Throws EditError. */
function edited(tx: Transaction, stack: Stack, lane: TakeLane, definition: EditDefinition, edit: Record<string, unknown>): TakeClip[] {
  const from = Math.min(...lane.clips.map((c) => c.at));
  const base = Math.max(0, ...[...tx.doc.lanes.values()].map((l) => l.end)) + CLEAR;
  const laid = lane.clips.map(({ at, ...c }): Clip => {
    return { ...c, id: tx.newId(), trackId: stack.trackId, start: base + at - from, layer: 0, blend: null, bundle: null };
  });
  for (const clip of laid) tx.setClip(clip);
  const { shape } = definition.params as z.ZodObject;
  const stranger = Object.keys(edit).find((k) => k !== "type" && (!(k in shape) || OUTSIDE.has(k)));
  if (stranger !== undefined) throw new EditError(`${definition.type} of a take takes no parameter "${stranger.slice(0, 60)}".`, "edit");
  const params = definition.params.safeParse({ ...("overlap" in shape && { overlap: "layer" }), ...edit, clipIds: laid.map((c) => c.id) });
  const issue = params.error?.issues[0];
  if (issue) throw new EditError(`${definition.type}${issue.path.length ? `, ${issue.path.join(".")}` : ""}: ${issue.message}`, "edit");
  if (edit.length !== undefined && laid.length > 1) throw new EditError("A take of several clips is stretched by a factor.", "edit.length");
  definition.apply(tx, params.data);
  const now = laid.map((c) => tx.clip(c.id));
  for (const { id } of laid) tx.set("clip", id, null);
  // All of the take is one: what became longer or shorter keeps its proportions, and backwards the last comes first.
  // A tail that rings on makes a clip longer too, but no time.
  const factor = alike(timingOf(now[0]), timingOf(laid[0])) ? 1 : now[0].length / laid[0].length;
  const end = clipEnd(laid[laid.length - 1]);
  const byStart = edit.edge === "start" ? (end - base) * (1 - factor) : 0;
  const place = (c: Clip): number => Math.round(byStart + (definition.type === "reverse" ? end - clipEnd(c) : c.start - base) * factor);
  return now
    .map((clip, i) => {
      const wrong = clipProblems(tx.doc, clip);
      if (wrong.length) throw new EditError(`This can't be done: ${wrong[0]}.`, "edit");
      return { ...takeClip({ ...clip, blend: null }, 0), at: from + place(laid[i]) };
    })
    .sort((a, b) => a.at - b.at);
}

/** Picks of a lane where it was picked, with what was done to that pick alone. */
function pickAgain(tx: Transaction, stack: Stack, lane: TakeLane, pick: Clip): void {
  const before = new Set(picksOf(tx.doc, stack).map((c) => c.id));
  pickFrom(tx, stack.id, lane.id, pick.start, clipEnd(pick));
  const was = lane.clips.find((c) => pick.start >= stack.start + c.at && pick.start < stack.start + c.at + c.length);
  if (!was) return;
  for (const clip of picksOf(tx.doc, stack)) {
    if (before.has(clip.id) || clip.take !== lane.id) continue;
    tx.setClip({
      ...clip,
      gain: Math.max(-144, Math.min(48, clip.gain + pick.gain - was.gain)),
      pan: Math.max(-1, Math.min(1, clip.pan + pick.pan - was.pan)),
      ...(pick.mute !== was.mute && { mute: pick.mute }),
      ...(pick.color !== was.color && { color: pick.color }),
      ...(pick.name !== was.name && { name: pick.name }),
      ...(alike(timingOf(clip), timingOf(was)) && !alike(pick.envelopes, was.envelopes) && { envelopes: pick.envelopes }),
    });
  }
}
