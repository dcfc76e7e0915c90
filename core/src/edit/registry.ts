import { z } from "zod";
import type { Change, Document } from "../model/document";
import { nameOf } from "../model/schema";
import { bundle, release, setBundle } from "./bundles/bundle";
import { settleBundles } from "./bundles/settle";
import { addClip } from "./clips/add-clip";
import { blendRange, removeBlend, setBlend } from "./clips/blends";
import { clearSilence } from "./clips/clear-silence";
import { closeGaps } from "./clips/close-gaps";
import { conform } from "./clips/conform";
import { copy, paste, repeat } from "./clips/copy";
import { deleteClips } from "./clips/delete";
import { setEnvelope, shiftEnvelope } from "./clips/envelopes";
import { fadeRange, setFade } from "./clips/fades";
import { fillRoom } from "./clips/fill-room";
import { addHits, moveHit, removeHits, resetHits, setSensitivity } from "./clips/hits";
import { join } from "./clips/join";
import { laySlices } from "./clips/lay-slices";
import { move } from "./clips/move";
import { replaceWithPrint } from "./clips/print";
import { reverse, reverseRange } from "./clips/reverse";
import { mute, setClip, setGain, setLayer } from "./clips/settings";
import { shiftInside } from "./clips/shift-inside";
import { smooth } from "./clips/smooth";
import { split } from "./clips/split";
import { asRecorded, setPitch, stretch } from "./clips/stretch";
import { tighten } from "./clips/tighten";
import { treat, treatRange } from "./clips/treat";
import { trim } from "./clips/trim";
import { warp } from "./clips/warp";
import { Common, type EditDefinition, newEdgesOf } from "./definition";
import { EditError } from "./errors";
import { lawWords } from "./law";
import { linkedShares, type Share, throughLinks, withShares } from "./linked-shares";
import type { SeamName } from "./links";
import { settleBlends } from "./passes/blends";
import { settleLayers } from "./passes/layers";
import { settleNewEdges } from "./passes/new-edges";
import { addMarker, addSection, removeMarker, removeSection, setLoop, setMarker, setSection, setTime } from "./piece/piece";
import { insertSection, insertTime, removeTime } from "./piece/sections";
import { deleteRange, moveRange, muteRange, repeatRange, splitRange } from "./ranges/ranges";
import { layRecording } from "./takes/record";
import { addLane, flatten, moveLane, openOut, pick, removeLane, setLane, stackTakes } from "./takes/stack";
import { setRide } from "./tracks/ride";
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
  closeGaps,
  tighten,
  fillRoom,
  setSensitivity,
  addHits,
  moveHit,
  removeHits,
  resetHits,
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
  setEnvelope,
  shiftEnvelope,
  reverse,
  stretch,
  setPitch,
  warp,
  asRecorded,
  conform,
  treat,
  mute,
  setClip,
  setLayer,
  bundle,
  release,
  setBundle,
  stackTakes,
  layRecording,
  laySlices,
  pick,
  setLane,
  moveLane,
  addLane,
  removeLane,
  flatten,
  openOut,
  deleteRange,
  splitRange,
  muteRange,
  reverseRange,
  treatRange,
  moveRange,
  repeatRange,
  addTrack,
  duplicateTrack,
  renameTrack,
  removeTrack,
  moveTrack,
  setTrack,
  setRide,
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
  /** What was left undone though the rest was done, in words. */
  readonly notes: readonly string[];
}

/** A random key for the ids that an edit makes. */
export function newKey(): string {
  let key = "";
  while (key.length < 12) key += Math.random().toString(36).slice(2);
  return key.slice(0, 12);
}

/** The parameters that an edit takes, its own and those that every edit does. */
const known = new Map(
  EDITS.map((e) => [e.type, new Set(["type", ...Object.keys((e.params as z.ZodObject).shape), ...Object.keys(Common.shape)])] as const),
);

/**
 * Applies one edit. Throws EditError with the path of the parameter at fault when it is unknown, malformed or impossible; the
 * document given is never changed.
 */
export function applyEdit(doc: Document, edit: Edit, scratch?: Map<string, number>): Outcome {
  const definition = byType.get(edit.type);
  if (!definition) throw new EditError(`There is no edit "${edit.type}".`, "type");
  for (const name in edit)
    if (!known.get(edit.type)?.has(name))
      throw new EditError(`${edit.type} takes no parameter "${nameOf(name).slice(0, 60)}".`, nameOf(name).slice(0, 60));
  const common = Common.safeParse(edit);
  const params = definition.params.safeParse(edit);
  const issue = params.success ? common.error?.issues[0] : params.error.issues[0];
  if (issue) throw new EditError(`${edit.type}${issue.path.length ? `, ${issue.path.join(".")}` : ""}: ${issue.message}`, issue.path.join("."));
  const { key, links, inside, ...edges } = common.data as z.output<typeof Common>;
  if (edges.edgeBlend && !edges.edgeFade) throw new EditError("edgeBlend takes its length from edgeFade: give both.", "edgeBlend");
  if (inside !== undefined && !doc.bundles.has(inside)) throw new EditError("The bundle that was open is not there any more.", "inside");
  const shares = definition.links && links ? linkedShares(doc, definition.links, params.data as object) : [];
  const done = (taken: readonly Share[]): Outcome => {
    const leads = new Map(taken.flatMap((s) => [...(s.leads ?? [])]));
    const named = namedIn(params.data as object);
    const tx = new Transaction(doc, key ?? newKey(), { inside, leads, edge: newEdgesOf(edges), scratch, links, named });
    const name = definition.apply(tx, withShares(params.data as object, definition.links, taken));
    for (const { instead } of taken) if (instead) definition.apply(tx, { ...(params.data as object), ...instead });
    settle(tx);
    return { ...tx.finish(), name: nameOf(name), notes: tx.notes };
  };
  return throughLinks(doc, shares, done);
}

/** The clips and bundles that parameters name. */
function namedIn(params: { clipIds?: string[]; clipId?: string; bundleId?: string; seams?: SeamName[] }): Set<string> {
  const { clipIds = [], clipId, bundleId, seams = [] } = params;
  return new Set([...clipIds, clipId, bundleId, ...seams.flatMap((s) => [s.left, s.right])].filter((id) => typeof id === "string"));
}

/** What every edit must leave right, one after the other. */
function settle(tx: Transaction): void {
  settleBlends(tx);
  settleNewEdges(tx);
  settleBundles(tx);
  settleLayers(tx);
}

/** Several edits at work as one step: each is done in turn, and what they did together is handed over at the end. */
class Batch {
  private readonly names: string[] = [];
  private readonly notes: string[] = [];
  private readonly merged = new Map<string, Change>();
  private readonly scratch = new Map<string, number>();

  constructor(private current: Document) {}

  /** Does the edit at place `i` of the batch. Throws EditError. */
  do(edit: Edit, i: number): void {
    try {
      const outcome = applyEdit(this.current, edit, this.scratch);
      this.current = outcome.doc;
      this.names.push(outcome.name);
      this.notes.push(...outcome.notes);
      for (const change of outcome.changes) {
        const key = `${change.kind} ${change.id}`;
        const earlier = this.merged.get(key);
        this.merged.set(key, (earlier ? { ...change, before: earlier.before } : change) as Change);
      }
    } catch (error) {
      if (error instanceof EditError) throw new EditError(error.message, `edits.${i}${error.path ? `.${error.path}` : ""}`, error.kept);
      throw error;
    }
  }

  get outcome(): Outcome {
    const { names, current: doc, notes } = this;
    const name = new Set(names).size === 1 ? names[0] : nameOf(`${names[0]} and ${names.length - 1} more`);
    return { doc, changes: [...this.merged.values()].filter((c) => c.before !== c.after), name, notes };
  }
}

const NOTHING = "There is nothing to do: no edits were given.";

/** Applies edits in order as one step: all of them or, with an EditError, none. */
export function applyEdits(doc: Document, edits: readonly Edit[]): Outcome {
  if (edits.length === 0) throw new EditError(NOTHING, "edits");
  if (edits.length === 1) return applyEdit(doc, edits[0]);
  const batch = new Batch(doc);
  edits.forEach((edit, i) => batch.do(edit, i));
  return batch.outcome;
}

/** How long edits are done before others get their turn. */
const TURN_MS = 20;

/** As `applyEdits`; `pause` is waited for now and then, so that a long list keeps nobody else waiting. */
export async function applyEditsInTurns(doc: Document, edits: readonly Edit[], pause: () => Promise<void>): Promise<Outcome> {
  if (edits.length < 2) return applyEdits(doc, edits);
  const batch = new Batch(doc);
  let since = Date.now();
  for (const [i, edit] of edits.entries()) {
    batch.do(edit, i);
    if (Date.now() - since < TURN_MS) continue;
    await pause();
    since = Date.now();
  }
  return batch.outcome;
}

/** JSON Schema of every edit, from the same schemas that check them. */
export function editSchemas(): { type: string; about: string; law: string; example: unknown; schema: unknown }[] {
  return EDITS.map(({ type, about, law, params, example }) => {
    const own = z.toJSONSchema(params, { io: "input", unrepresentable: "any" }) as { properties?: object; required?: string[] };
    const common = z.toJSONSchema(Common, { io: "input" }) as { properties?: object };
    return {
      type,
      about,
      law: lawWords(law),
      example,
      schema: {
        ...own,
        properties: { type: { const: type }, ...own.properties, ...common.properties },
        required: ["type", ...(own.required ?? [])],
        additionalProperties: false,
      },
    };
  });
}
