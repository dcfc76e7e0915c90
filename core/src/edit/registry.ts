import { z } from "zod";
import type { Change, Document } from "../model/document";
import { NO_FADE } from "../model/schema";
import { addClip } from "./clips/add-clip";
import { removeBlend, setBlend } from "./clips/blends";
import { deleteClips } from "./clips/delete";
import { fadeRange, setFade } from "./clips/fades";
import { move } from "./clips/move";
import { mute, setClip, setGain } from "./clips/settings";
import { shiftInside } from "./clips/shift-inside";
import { split } from "./clips/split";
import { trim } from "./clips/trim";
import { Common, type EditDefinition } from "./definition";
import { EditError } from "./errors";
import { addMarker, addSection, removeMarker, removeSection, setLoop, setMarker, setSection, setTime } from "./piece/piece";
import { addTrack, moveTrack, removeTrack, renameTrack, setTrack } from "./tracks/tracks";
import { Transaction } from "./transaction";

/** Every edit there is. */
export const EDITS: readonly EditDefinition[] = [
  addClip,
  move,
  split,
  trim,
  deleteClips,
  shiftInside,
  setFade,
  fadeRange,
  setBlend,
  removeBlend,
  setGain,
  mute,
  setClip,
  addTrack,
  renameTrack,
  removeTrack,
  moveTrack,
  setTrack,
  setTime,
  setLoop,
  addMarker,
  setMarker,
  removeMarker,
  addSection,
  setSection,
  removeSection,
];

const byType = new Map(EDITS.map((e) => [e.type, e]));

/** An edit as it is sent: its type, what every edit takes, and its own parameters. */
export interface Edit extends z.input<typeof Common> {
  readonly type: string;
  readonly [parameter: string]: unknown;
}

export interface Outcome {
  readonly doc: Document;
  readonly changes: Change[];
  /** Name of the step. */
  readonly name: string;
}

/** A random key for the ids that an edit makes. */
export function newKey(): string {
  let key = "";
  while (key.length < 12) key += Math.random().toString(36).slice(2);
  return key.slice(0, 12);
}

/**
 * Applies one edit. Throws EditError with the path of the parameter at fault when it is unknown, malformed or impossible; the
 * document given is never changed.
 */
export function applyEdit(doc: Document, edit: Edit): Outcome {
  const definition = byType.get(edit.type);
  if (!definition) throw new EditError(`There is no edit "${edit.type}".`, "type");
  const common = Common.safeParse(edit);
  const params = definition.params.safeParse(edit);
  const issue = params.success ? common.error?.issues[0] : params.error.issues[0];
  if (issue) throw new EditError(`${edit.type}: ${issue.message}`, issue.path.join("."));
  const { edgeFade, key } = common.data as z.output<typeof Common>;
  const tx = new Transaction(doc, key ?? newKey());
  const name = definition.apply(tx, params.data);
  return { ...tx.finish(edgeFade ?? NO_FADE), name };
}

/** Applies edits in order as one step: all of them or, with an EditError, none. */
export function applyEdits(doc: Document, edits: readonly Edit[]): Outcome {
  if (edits.length === 0) throw new EditError("There is nothing to do: no edits were given.", "edits");
  if (edits.length === 1) return applyEdit(doc, edits[0]);
  let current = doc;
  const names: string[] = [];
  const merged = new Map<string, Change>();
  edits.forEach((edit, i) => {
    try {
      const outcome = applyEdit(current, edit);
      current = outcome.doc;
      names.push(outcome.name);
      for (const change of outcome.changes) {
        const key = `${change.kind} ${change.id}`;
        const earlier = merged.get(key);
        merged.set(key, (earlier ? { ...change, before: earlier.before } : change) as Change);
      }
    } catch (error) {
      if (error instanceof EditError) throw new EditError(error.message, `edits.${i}${error.path ? `.${error.path}` : ""}`, error.kept);
      throw error;
    }
  });
  const name = new Set(names).size === 1 ? names[0] : `${names[0]} and ${names.length - 1} more`;
  return { doc: current, changes: [...merged.values()].filter((c) => c.before !== c.after), name };
}

/** JSON Schema of every edit, from the same schemas that check them. */
export function editSchemas(): { type: string; about: string; example: unknown; schema: unknown }[] {
  return EDITS.map(({ type, about, params, example }) => {
    const own = z.toJSONSchema(params, { io: "input", unrepresentable: "any" }) as { properties?: object; required?: string[] };
    const common = z.toJSONSchema(Common, { io: "input" }) as { properties?: object };
    return {
      type,
      about,
      example,
      schema: { ...own, properties: { type: { const: type }, ...own.properties, ...common.properties }, required: ["type", ...(own.required ?? [])] },
    };
  });
}
