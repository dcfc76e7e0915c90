import { z } from "zod";
import type { Change, Document } from "../model/document";
import { nameOf } from "../model/schema";
import { Common, type EditDefinition, newEdgesOf } from "./definition";
import { EditError } from "./errors";
import { bundle, release, setBundle } from "./kinds/bundles/bundle";
import { clearSilence } from "./kinds/cut/clear-silence";
import { deleteClips } from "./kinds/cut/delete";
import { shiftInside } from "./kinds/cut/shift-inside";
import { split } from "./kinds/cut/split";
import { tighten } from "./kinds/cut/tighten";
import { trim } from "./kinds/cut/trim";
import { blendRange, removeBlend, setBlend } from "./kinds/join/blends";
import { fadeRange, setFade } from "./kinds/join/fades";
import { join } from "./kinds/join/join";
import { smooth } from "./kinds/join/smooth";
import { addMarker, addSection, removeMarker, removeSection, setLoop, setMarker, setSection, setTime } from "./kinds/piece/piece";
import { insertSection, insertTime, removeTime } from "./kinds/piece/sections";
import { addClip } from "./kinds/place/add-clip";
import { closeGaps } from "./kinds/place/close-gaps";
import { copy, paste, repeat } from "./kinds/place/copy";
import { laySlices } from "./kinds/place/lay-slices";
import { move } from "./kinds/place/move";
import { deleteRange, moveRange, muteRange, repeatRange, splitRange } from "./kinds/ranges/ranges";
import { fillRoom } from "./kinds/room/fill-room";
import { conform } from "./kinds/sound/conform";
import { setEnvelope, shiftEnvelope } from "./kinds/sound/envelopes";
import { addHits, moveHit, removeHits, resetHits, setSensitivity } from "./kinds/sound/hits";
import { replaceWithPrint } from "./kinds/sound/print";
import { reverse, reverseRange } from "./kinds/sound/reverse";
import { mute, setClip, setGain, setLayer } from "./kinds/sound/settings";
import { asRecorded, setPitch, stretch } from "./kinds/sound/stretch";
import { treat, treatRange } from "./kinds/sound/treat";
import { warp } from "./kinds/sound/warp";
import { changeLaneWith } from "./kinds/takes/change-lane";
import { layRecording } from "./kinds/takes/record";
import { addLane, flatten, moveLane, openOut, pick, removeLane, setLane, stackTakes } from "./kinds/takes/stack";
import { setRide } from "./kinds/tracks/ride";
import { addTrack, duplicateTrack, moveTrack, removeTrack, renameTrack, setTrack } from "./kinds/tracks/tracks";
import { lawWords } from "./law";
import { linkedShares, type Share, throughLinks, withShares } from "./links/linked-shares";
import type { SeamName } from "./links/links";
import { passBlends } from "./passes/blends";
import { passBundles } from "./passes/bundles";
import { passLayers } from "./passes/layers";
import { passNewEdges } from "./passes/new-edges";
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
  changeLaneWith([shiftInside, stretch, setPitch, asRecorded, warp, reverse, treat, setGain, setClip]),
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
  /** Ids of the clips that copying, pasting or inserting laid, as far as they are there: not those that a cut left of others. */
  readonly laid: readonly string[];
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
    runPasses(tx);
    return { ...tx.finish(), name: nameOf(name), notes: tx.notes, laid: tx.laid };
  };
  return throughLinks(doc, shares, done);
}

/** The clips and bundles that parameters name. */
function namedIn(params: { clipIds?: string[]; clipId?: string; bundleId?: string; seams?: SeamName[] }): Set<string> {
  const { clipIds = [], clipId, bundleId, seams = [] } = params;
  return new Set([...clipIds, clipId, bundleId, ...seams.flatMap((s) => [s.left, s.right])].filter((id) => typeof id === "string"));
}

/** What every edit must leave right, one after the other. */
function runPasses(tx: Transaction): void {
  passBlends(tx);
  passNewEdges(tx);
  passBundles(tx);
  passLayers(tx);
}

/** Several edits at work as one step: each is done in turn, and what they did together is handed over at the end. */
class Batch {
  private readonly names: string[] = [];
  private readonly notes: string[] = [];
  private readonly laid: string[] = [];
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
      this.laid.push(...outcome.laid);
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
    const laid = this.laid.filter((id) => doc.clips.has(id));
    const name = new Set(names).size === 1 ? names[0] : nameOf(`${names[0]} and ${names.length - 1} more`);
    return { doc, changes: [...this.merged.values()].filter((c) => c.before !== c.after), name, notes, laid };
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
