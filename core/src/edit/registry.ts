import { z } from "zod";
import type { Change, Document } from "../model/document";
import { bundle, release, setBundle } from "./bundles/bundle";
import { settleBundles } from "./bundles/settle";
import { addClip } from "./clips/add-clip";
import { blendRange, removeBlend, setBlend } from "./clips/blends";
import { clearSilence } from "./clips/clear-silence";
import { copy, paste, repeat } from "./clips/copy";
import { deleteClips } from "./clips/delete";
import { fadeRange, setFade } from "./clips/fades";
import { join } from "./clips/join";
import { move } from "./clips/move";
import { replaceWithPrint } from "./clips/print";
import { mute, setClip, setGain, setLayer } from "./clips/settings";
import { shiftInside } from "./clips/shift-inside";
import { smooth } from "./clips/smooth";
import { split } from "./clips/split";
import { trim } from "./clips/trim";
import { Common, type EditDefinition, type Linking } from "./definition";
import { EditError } from "./errors";
import { leadsOf, withLinkedTracks } from "./links";
import { addMarker, addSection, removeMarker, removeSection, setLoop, setMarker, setSection, setTime } from "./piece/piece";
import { insertSection, insertTime, removeTime } from "./piece/sections";
import { deleteRange, moveRange, muteRange, repeatRange, splitRange } from "./ranges/ranges";
import { addTrack, duplicateTrack, moveTrack, removeTrack, renameTrack, setTrack } from "./tracks/tracks";
import { Transaction } from "./transaction";

/** Every edit there is. */
export const EDITS: readonly EditDefinition[] = [
  addClip,
  move,
  copy,
  repeat,
  paste,
  split,
  trim,
  deleteClips,
  clearSilence,
  join,
  replaceWithPrint,
  shiftInside,
  setFade,
  fadeRange,
  setBlend,
  removeBlend,
  blendRange,
  smooth,
  setGain,
  mute,
  setClip,
  setLayer,
  bundle,
  release,
  setBundle,
  deleteRange,
  splitRange,
  muteRange,
  moveRange,
  repeatRange,
  addTrack,
  duplicateTrack,
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
  insertTime,
  removeTime,
  insertSection,
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
  const { edgeFade, key, links, inside } = common.data as z.output<typeof Common>;
  if (inside !== undefined && !doc.bundles.has(inside)) throw new EditError("The bundle that was open is not there any more.", "inside");
  const linked = definition.links && links ? throughLinks(doc, definition.links, params.data as object) : null;
  const tx = new Transaction(doc, key ?? newKey(), inside ?? null, linked?.leads);
  const name = definition.apply(tx, linked?.params ?? params.data);
  for (const clipId of linked?.others ?? []) alongLink(() => definition.apply(tx, { ...(params.data as object), clipId, with: undefined }));
  tx.settleEdges(edgeFade);
  settleBundles(tx);
  return { ...tx.finish(), name };
}

/** An edit's parameters with what links between tracks bring in, and who goes along with whom. */
function throughLinks(doc: Document, on: Linking, params: object): { params: object; leads: ReadonlyMap<string, string>; others: string[] } | null {
  const named = (params as Record<string, unknown>)[on];
  const tracks = (params as { trackIds?: string[] }).trackIds;
  if (on === "trackIds" || (tracks && !(named as string[] | undefined)?.length)) {
    const trackIds = withLinkedTracks(doc, tracks as string[]);
    return { params: { ...params, trackIds }, leads: new Map(), others: [] };
  }
  if (on === "clipId") return { params, leads: new Map(), others: [...leadsOf(doc, [named as string]).keys()] };
  const clipIds = named as string[] | undefined;
  if (!clipIds?.length) return null;
  const leads = leadsOf(doc, clipIds);
  return leads.size === 0 ? null : { params: { ...params, clipIds: [...clipIds, ...leads.keys()] }, leads, others: [] };
}

/** Does on a linked track what the edit did on its own, where it can be done there. */
function alongLink(apply: () => void): void {
  try {
    apply();
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
  }
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
