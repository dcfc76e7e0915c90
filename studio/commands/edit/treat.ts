import { EditError } from "@wet-thread/core/edit/errors";
import { withLinkedTracks } from "@wet-thread/core/edit/links/links";
import { applyEdits, type Edit } from "@wet-thread/core/edit/registry";
import { type Processor, type ProcessorKind, Processor as ProcessorSchema, ringsOn } from "@wet-thread/core/model/recipe/treatment";
import type { Clip } from "@wet-thread/core/model/schema";
import { transportIfAny } from "@/engine/transport";
import { settings } from "@/state/kept/settings";
import { ask, ServerError } from "@/state/sync/api";
import { inVersion, isOpen, type Session, session } from "@/state/sync/session";
import { setView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { selectedClips } from "./actions";
import { Runs } from "./runs";

const named = (clips: readonly Clip[]): string => (clips.length === 1 ? clips[0].name || "1 clip" : `${clips.length} clips`);

/** A processor as it is when it is fetched. */
export const freshProcessor = (kind: ProcessorKind): Processor => ProcessorSchema.parse({ kind });

/** Turning at one chain without a rest is one step. */
const runs = new Runs();
const rowOf = (clips: readonly Clip[]): string => runs.row(clips.map((c) => c.id).join(" "));

/** How loud clips are behind a chain: asked of the server. Throws ServerError. */
async function levelsOf(clips: readonly Clip[], chain: readonly Processor[]) {
  const { versionId } = session().store.getState();
  const { clips: found } = await ask<{ clips: { id: string; peak: number | null; loudness: number | null }[] }>(
    `/api/versions/${versionId}/measure`,
    { json: { clipIds: clips.map((c) => c.id), chain } },
  );
  return found;
}

/** The gain with which each clip comes to a level: asked of the server, which hears what comes before in the chain. */
async function gainsFor(clips: readonly Clip[], chain: readonly Processor[], at: number): Promise<ReadonlyMap<string, number> | null> {
  const p = chain[at];
  if (p?.kind !== "normalise") return null;
  try {
    // The server measures the clips as it has them.
    await session().settled();
    return new Map(
      (await levelsOf(clips, chain.slice(0, at))).map(({ id, peak, loudness }) => {
        const now = p.to === "peak" ? peak : loudness;
        return [id, now === null ? 0 : Math.max(-96, Math.min(96, Math.round((p.level - now) * 1000) / 1000))];
      }),
    );
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(`The level could not be measured. ${error.message}`);
    return null;
  }
}

/** The edits that lay a chain on clips; `gains` are those of the normalise at place `measure`, others keep what was worked out for each clip. */
function chainEdits(clips: readonly Clip[], chain: readonly Processor[], measure: number | null, gains: ReadonlyMap<string, number> | null): Edit[] {
  const edits = clips.map((clip): Edit => {
    const had = clip.recipe?.treat?.chain;
    const own = chain.map((p, i) => {
      if (p.kind !== "normalise") return p;
      if (i === measure) return { ...p, gain: gains?.get(clip.id) ?? p.gain };
      const kept = had?.[i];
      return kept?.kind === "normalise" ? { ...p, gain: kept.gain } : p;
    });
    return { type: "treat", clipIds: [clip.id], chain: own, grow: ringsOn(chain), overlap: "layer" };
  });
  // Clips that get the very same are treated together, so that unbroken ones are one window.
  const same = edits.every((e) => JSON.stringify(e.chain) === JSON.stringify(edits[0].chain));
  return same ? [{ ...edits[0], clipIds: clips.map((c) => c.id) }] : edits;
}

/** Lets a chain be heard on clips while it is being turned at, without an edit; null: what they have. */
export function hearChain(clips: readonly Clip[], chain: readonly Processor[] | null): void {
  try {
    transportIfAny()?.hearWhile(chain && applyEdits(session().doc, chainEdits(clips, chain, null, null)).doc);
  } catch (error) {
    // What can't be laid is refused in words when it is let go.
    if (!(error instanceof EditError)) throw error;
  }
}

/**
 * Lays a chain on clips as one step. Where a normalise is among those that changed (`measure`: its place), its gain is worked out anew for each
 * clip, which the server is asked for; the others keep what was worked out for them, and all is done by the time this returns.
 */
export async function layChain(clips: readonly Clip[], chain: readonly Processor[], measure: number | null = null, fresh = false): Promise<void> {
  if (clips.length === 0) return;
  await inVersion(async (own) => {
    const gains = measure === null ? null : await gainsFor(clips, chain, measure);
    if (measure !== null && !gains) return;
    setView({ bareGains: new Map() });
    // As they are by now: what was asked for above took its time.
    const now = clips.map((c) => own.doc.clips.get(c.id)).filter((c) => c !== undefined);
    if (now.length > 0) own.edit(chainEdits(now, chain, measure, gains), `Treat ${named(clips)}`, fresh ? undefined : rowOf(clips));
  });
}

export function treatmentOff(): void {
  setView({ bareGains: new Map() });
  const clips = selectedClips().filter((c) => c.recipe?.treat);
  if (clips.length === 0) return void toast("No selected clip is treated.", { id: "select" });
  session().edit([{ type: "treat", clipIds: clips.map((c) => c.id), chain: null }]);
}

/** Hears the bare sound and the treated one in turn: by-passes all of the chain, or takes it in again. */
export function bypass(): void {
  const clips = selectedClips().filter((c) => c.recipe?.treat);
  if (clips.length === 0) return void toast("Select treated clips to hear them without their treatment.", { id: "select" });
  const on = clips.some((c) => c.recipe?.treat?.chain.some((p) => p.on));
  const edits = clips.map(
    (c): Edit => ({ type: "treat", clipIds: [c.id], chain: (c.recipe?.treat?.chain ?? []).map((p) => ({ ...p, on: !on })), overlap: "layer" }),
  );
  session().edit(edits, on ? `By-pass the treatment of ${named(clips)}` : `Hear the treatment of ${named(clips)}`);
  setView({ bareGains: new Map() });
  toast(on ? "Bare" : "Treated", { id: "bypass", duration: 1200 });
  if (on && settings().equalLoudness) void levelBare(clips);
}

/** Lets clips whose treatment is by-passed be as loud as they are with it, for the ear alone. */
async function levelBare(clips: readonly Clip[]): Promise<void> {
  const own = session();
  try {
    await own.settled();
    const gains = new Map<string, number>();
    for (const group of byChain(clips)) {
      const chain = (group[0].recipe?.treat?.chain ?? []).map((p) => ({ ...p, on: true }));
      const [bare, treated] = [await levelsOf(group, []), await levelsOf(group, chain)];
      for (const { id, loudness, peak } of bare) {
        const other = treated.find((t) => t.id === id);
        // What is too short for a loudness is compared by its peaks.
        const [a, b] = loudness !== null && other && other.loudness !== null ? [loudness, other.loudness] : [peak, other?.peak ?? null];
        if (a !== null && b !== null) gains.set(id, Math.round((b - a) * 100) / 100);
      }
    }
    // Taken in again meanwhile, or changed, or not wanted any more.
    const { doc } = own;
    if (!settings().equalLoudness || !isOpen(own)) return;
    if (!clips.every((c) => doc.clips.get(c.id)?.recipe?.treat?.chain.every((p) => !p.on))) return;
    setView({ bareGains: gains });
    const [first] = gains.values();
    if (first !== undefined) toast(`Bare, ${first >= 0 ? "+" : "−"}${Math.abs(first).toFixed(1)} dB to be as loud`, { id: "bypass", duration: 2000 });
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(`How loud both are could not be measured. ${error.message}`, { id: "bypass" });
  }
}

/** A normalise for a range, which is measured as one; null where it could not be, which is said. */
async function normaliseFor(own: Session, range: { start: number; end: number; trackIds: string[] }): Promise<Processor | null> {
  const processor = freshProcessor("normalise");
  if (processor.kind !== "normalise") return null;
  try {
    await own.settled();
    const { versionId } = own.store.getState();
    const { range: level } = await ask<{ range: { peak: number | null; loudness: number | null } }>(`/api/versions/${versionId}/measure`, {
      json: { range },
    });
    const now = processor.to === "peak" ? level.peak : level.loudness;
    if (now === null) {
      toast("The range is silent: there is nothing to normalise.", { id: "treat" });
      return null;
    }
    return { ...processor, gain: Math.max(-96, Math.min(96, Math.round((processor.level - now) * 1000) / 1000)) };
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(`The level could not be measured. ${error.message}`);
    return null;
  }
}

/** Lays one processor more on the selected clips, or on what lies in the range. */
export async function addProcessor(kind: ProcessorKind): Promise<void> {
  const { range } = view();
  if (range) {
    const { start, end } = range;
    const trackIds = settings().linksOn ? withLinkedTracks(session().doc, range.trackIds) : [...range.trackIds];
    return inVersion(async (own) => {
      const processor = kind === "normalise" ? await normaliseFor(own, { start, end, trackIds }) : freshProcessor(kind);
      // Behind what each clip's chain has already.
      if (processor) own.edit([{ type: "treat-range", start, end, trackIds, chain: [processor] }]);
    });
  }
  const clips = selectedClips();
  if (clips.length === 0) return void toast("Select the clips to treat.", { id: "select" });
  await inVersion(async (own) => {
    // Each behind what its chain has already; all of them as one step.
    const edits: Edit[] = [];
    for (const group of byChain(clips)) {
      const chain = [...(group[0].recipe?.treat?.chain ?? []), freshProcessor(kind)];
      const measure = kind === "normalise" ? chain.length - 1 : null;
      const gains = measure === null ? null : await gainsFor(group, chain, measure);
      if (measure !== null && !gains) return;
      const now = group.map((c) => own.doc.clips.get(c.id)).filter((c) => c !== undefined);
      if (now.length > 0) edits.push(...chainEdits(now, chain, measure, gains));
    }
    setView({ bareGains: new Map() });
    if (edits.length > 0) own.edit(edits, `Treat ${named(clips)}`);
  });
}

/** Clips that have the same chain, together. */
function byChain(clips: readonly Clip[]): Clip[][] {
  const groups = new Map<string, Clip[]>();
  for (const clip of clips) {
    const key = JSON.stringify(clip.recipe?.treat?.chain ?? null);
    groups.set(key, [...(groups.get(key) ?? []), clip]);
  }
  return [...groups.values()];
}
