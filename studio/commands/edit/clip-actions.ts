import { bundlesAround, objectOf } from "@wet-thread/core/edit/bundles/members";
import { rippleRoom, trimRoom } from "@wet-thread/core/edit/cutting/trim-reach";
import { leadsOf, partners } from "@wet-thread/core/edit/links/links";
import type { Edit } from "@wet-thread/core/edit/registry";
import { hitsBetween, hitsOf } from "@wet-thread/core/model/clip/hits";
import { blendAfter, type Document } from "@wet-thread/core/model/document";
import { playedSource } from "@wet-thread/core/model/recipe/played-recording";
import { type Bundle, type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { settings } from "@/state/kept/settings";
import { ask, ServerError } from "@/state/sync/api";
import { isOpen, session } from "@/state/sync/session";
import { modeRules, neighbourRules } from "@/state/view/modes";
import { selectClips, setView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { laneBoxes } from "@/timeline/model/geometry";
import { selectedClips, selectLaid, tracksMeant } from "./actions";
import { showAftermath } from "./aftermath";

const doc = (): Document => session().doc;
const idsOf = (clips: readonly Clip[]): string[] => clips.map((c) => c.id);

/** The selected clips, or nothing, having said what to select. */
function meant(what: string): Clip[] | null {
  const clips = selectedClips();
  if (clips.length > 0) return clips;
  toast(`Select the clips to ${what} first.`, { id: "select" });
  return null;
}

/** Splits at the range's edges, else what is selected, else what lies under the playhead on the tracks meant. */
export function split(): void {
  const { range, playhead } = view();
  const at = Math.round(playhead);
  const under = selectedClips().filter((c) => at > c.start && at < clipEnd(c));
  const edit: Edit = range
    ? { type: "split-range", start: range.start, end: range.end, trackIds: [...range.trackIds] }
    : under.length
      ? { type: "split", clipIds: idsOf(under), at }
      : { type: "split", trackIds: tracksMeant(), at };
  const done = session().edit([edit]);
  if (!done) return;
  // The part after the cut is what the next move is for.
  const from = range ? range.start : at;
  const touched = new Set(done.changes.filter((c) => c.kind === "clip").map((c) => c.id));
  const parts = [...touched].filter((id) => doc().clips.get(id)?.start === from);
  if (parts.length) selectClips(doc(), parts);
}

/** Deletes the range or what is selected, by the rule for neighbours that is in force or the one given. */
export function deleteSelected(neighbours?: "hold" | "ripple", name?: string): void {
  const { range, fade } = view();
  const faded = fade && doc().clips.get(fade.clipId);
  if (fade && faded) {
    if (session().edit([{ type: "set-fade", clipIds: [fade.clipId], edge: fade.edge, length: 0 }], `Take fade ${fade.edge} off ${faded.name}`))
      setView({ fade: null });
    return;
  }
  const rules = neighbours ? { ...neighbourRules(), neighbours } : neighbourRules();
  if (range) {
    const edit = { type: "delete-range", start: range.start, end: range.end, trackIds: [...range.trackIds], ...rules };
    if (session().edit([edit], name) && rules.neighbours !== "hold") setView({ range: null, playhead: range.start });
    return;
  }
  const clips = meant("delete");
  if (clips && session().edit([{ type: "delete", clipIds: idsOf(clips), ...rules }], name)) setView({ clipIds: new Set() });
}

export function muteSelected(): void {
  const { range } = view();
  if (range) {
    const inside = range.trackIds.flatMap((id) => doc().lanes.get(id)?.within(range.start, range.end) ?? []);
    session().edit([{ type: "mute-range", start: range.start, end: range.end, trackIds: [...range.trackIds], mute: !inside.every((c) => c.mute) }]);
    return;
  }
  const clips = meant("mute");
  if (clips) session().edit([{ type: "mute", clipIds: idsOf(clips), mute: !clips.every((c) => c.mute) }]);
}

/** Repeats the range or the selected clips after themselves; the last copy is selected, so that the key can be pressed again. */
export function repeat(times = 1, more: { until?: number; bundles?: "linked" } = {}): void {
  const { range } = view();
  const how = more.until === undefined ? { times } : { until: more.until };
  if (range) {
    const { start, end, trackIds } = range;
    const empty = trackIds.every((id) => doc().lanes.get(id)?.within(start, end).length === 0);
    if (
      (empty && more.until === undefined) ||
      session().edit(
        [{ type: "repeat-range", start, end, trackIds: [...trackIds], ...how, ...modeRules() }],
        times === 1 ? "Duplicate range" : undefined,
      )
    ) {
      const by = (end - start) * (more.until === undefined ? times : 0);
      setView({ range: { ...range, start: start + by, end: end + by } });
    }
    return;
  }
  const clips = meant("repeat");
  if (!clips) return;
  const done = session().edit(
    [{ type: "repeat", clipIds: idsOf(clips), ...how, ...modeRules(), ...(more.bundles ? { bundles: more.bundles } : {}) }],
    times === 1 && more.until === undefined ? `Duplicate ${clips.length === 1 ? clips[0].name : `${clips.length} clips`}` : undefined,
  );
  showAftermath(done, new Set(idsOf(clips)));
  if (!done) return;
  if (times === 1) selectLaid(done);
}

export function join(): void {
  const clips = meant("join");
  if (clips && session().edit([{ type: "join", clipIds: idsOf(clips) }]))
    selectClips(doc(), [clips.reduce((a, b) => (b.start < a.start ? b : a)).id]);
}

interface PrintJob {
  readonly status: "queued" | "rendering" | "ready" | "failed";
  readonly progress: number;
  readonly error: string | null;
  readonly name: string;
  readonly sourceIds: readonly string[];
}
const LOOK_MS = 250;

/** Prints the selected clips to a new recording in a job of the server, which puts it in their place. */
export async function print(): Promise<void> {
  const clips = meant("print");
  if (!clips) return;
  const own = session();
  const toastId = "print";
  toast(`Printing ${clips.length === 1 ? clips[0].name : `${clips.length} clips`} makes new recordings, with fades and gain in them …`, {
    id: toastId,
  });
  try {
    await own.settled();
    const { versionId } = own.store.getState();
    const { id } = await ask<{ id: string }>(`/api/versions/${versionId}/prints`, { json: { clipIds: idsOf(clips), links: settings().linksOn } });
    const cancel = { label: "Cancel", onClick: () => void ask(`/api/prints/${id}`, { method: "DELETE" }).catch(() => {}) };
    for (;;) {
      const job = await ask<PrintJob>(`/api/prints/${id}`);
      if (job.status === "ready") {
        await own.refreshSources();
        await own.caughtUp();
        const made = job.sourceIds.length;
        // What took the place of the selected clips is selected now; who has turned to something else meanwhile keeps that.
        const printed = [...own.doc.clips.values()].filter((c) => job.sourceIds.includes(c.sourceId)).map((c) => c.id);
        const left = [...view().clipIds].filter((id) => own.doc.clips.has(id));
        if (isOpen(own) && printed.length > 0 && (left.length === 0 || left.every((id) => clips.some((c) => c.id === id))))
          selectClips(own.doc, printed);
        const muted = clips.filter((c) => c.mute).length;
        const stayed = muted === 0 ? "" : ` ${muted === 1 ? "The muted clip" : `${muted} muted clips`} stayed.`;
        toast.success(
          made === 1 ? `Printed to a new recording, “${job.name}”.` : `Printed to ${made} new recordings, one for each run of neighbours.`,
          {
            id: toastId,
            duration: 6000,
            description: `${made === 1 ? "It" : "They"} took the clips' place.${stayed} Undo brings them back.`,
            action: { label: "Undo", onClick: () => session().back("undo") },
            cancel: undefined,
          },
        );
        return;
      }
      if (job.status === "failed") {
        toast.error("The clips were not printed.", { id: toastId, duration: 10_000, description: job.error ?? undefined, cancel: undefined });
        return;
      }
      toast(`Printing to a new recording … ${Math.round(job.progress * 100)} %`, { id: toastId, duration: Number.POSITIVE_INFINITY, cancel });
      await new Promise((wake) => setTimeout(wake, LOOK_MS));
    }
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(error.message, { id: toastId, duration: 8000 });
  }
}

/** The bundle that the selection is, when it is just one. */
export function selectedBundle(): Bundle | null {
  const objects = new Set(selectedClips().map((c) => objectOf(doc(), c, view().openBundle)));
  const [only] = objects;
  return objects.size === 1 && only ? only : null;
}

export function bundle(): void {
  const clips = meant("bundle");
  if (!clips) return;
  const done = session().edit([{ type: "bundle", clipIds: idsOf(clips) }]);
  if (done) selectClips(doc(), idsOf(clips));
}

function needBundle(what: string): Bundle | null {
  const found = selectedBundle();
  if (!found) toast(`Select a bundle to ${what}.`, { id: "bundle" });
  return found;
}

export function release(): void {
  const found = needBundle("release");
  if (found) session().edit([{ type: "release", bundleId: found.id }]);
}

export function makeIndependent(): void {
  const found = needBundle("make independent");
  if (found) session().edit([{ type: "set-bundle", bundleId: found.id, independent: true }]);
}

/** Opens a bundle, to handle its clips one by one, or the one that is selected. */
export function openBundle(id = needBundle("open")?.id): void {
  if (!id) return;
  setView({ openBundle: id, clipIds: new Set(), range: null });
  toast("The bundle is open: its clips are handled one by one.", { id: "bundle", description: "Escape closes it.", duration: 2500 });
}

/** Closes the open bundle, out to the one around it; true when there was one. */
export function closeBundle(): boolean {
  const { openBundle: open } = view();
  if (open === null) return false;
  setView({ openBundle: bundlesAround(doc(), open)[0]?.parent ?? null, clipIds: new Set() });
  return true;
}

export function setLayer(to: "top" | "bottom" | "up" | "down"): void {
  const clips = meant("reorder in their layers");
  if (clips) session().edit([{ type: "set-layer", clipIds: idsOf(clips), to }]);
}

/** Trims an edge of the selected clips to the playhead, of those that reach there; the others are left, and told. */
export function trimToPlayhead(edge: "start" | "end"): void {
  const at = Math.round(view().playhead);
  const clips = meant("trim");
  if (!clips) return;
  const rules = modeRules();
  const along = settings().linksOn ? leadsOf(doc(), idsOf(clips)) : new Map<string, string>();
  const reaches = (clip: Clip, by: number): boolean => {
    const { least, most } = (rules.neighbours === "hold" ? trimRoom : rippleRoom)(clip, edge, playedSource(doc().sources, clip)?.length ?? 0);
    return by >= least && by <= most;
  };
  const can = clips.filter((clip) => {
    const by = at - (edge === "start" ? clip.start : clipEnd(clip));
    const partners = [...along].filter(([, lead]) => lead === clip.id).map(([id]) => doc().clips.get(id) as Clip);
    return [clip, ...partners].every((c) => reaches(c, by));
  });
  const left = clips.length - can.length;
  if (can.length === 0) return void toast("The playhead lies where none of these clips can be trimmed to.", { id: "trim" });
  if (session().edit([{ type: "trim", clipIds: idsOf(can), edge, to: at, ...rules }]) && left > 0)
    toast.info(`${left === 1 ? "1 clip does" : `${left} clips do`} not reach the playhead and stayed.`, { id: "trim", duration: 5000 });
}

/** Cuts the selected clips, or what lies there, at the playhead and lets go of the shorter side of each. */
export function dropShorter(): void {
  const at = Math.round(view().playhead);
  const selected = selectedClips();
  const pool = selected.length
    ? selected
    : tracksMeant().flatMap(
        (id) =>
          doc()
            .lanes.get(id)
            ?.within(at, at + 1) ?? [],
      );
  const clips = pool.filter((c) => at > c.start && at < clipEnd(c));
  if (clips.length === 0) return void toast("Put the playhead inside a clip first.", { id: "trim" });
  const startSide = clips.filter((c) => at - c.start <= clipEnd(c) - at);
  const endSide = clips.filter((c) => at - c.start > clipEnd(c) - at);
  const edits: Edit[] = [];
  if (endSide.length) edits.push({ type: "trim", clipIds: idsOf(endSide), edge: "end", to: at, ...modeRules() });
  if (startSide.length) edits.push({ type: "trim", clipIds: idsOf(startSide), edge: "start", to: at, ...modeRules() });
  session().edit(edits, `Drop the shorter side of ${clips.length === 1 ? clips[0].name : `${clips.length} clips`}`);
}

/** Fades in and out at the set length and shape, at every edge of the selected clips that is not blended; or takes their fades off. */
export function fadeAll(off = false): void {
  const clips = meant(off ? "take the fades off" : "fade");
  if (!clips) return;
  const { edgeFadeMs, edgeFadeShape: shape, edgeFadeBend: bend } = settings();
  const length = off ? 0 : Math.round((Math.max(1, edgeFadeMs) * doc().sampleRate) / 1000);
  const open = { in: clips.filter((c) => !c.blend), out: clips.filter((c) => !blendAfter(doc(), c)) };
  const edits = (["in", "out"] as const).flatMap((edge): Edit[] =>
    open[edge].length ? [{ type: "set-fade", clipIds: idsOf(open[edge]), edge, length, ...(!off && { shape, bend }) }] : [],
  );
  const blended = 2 * clips.length - open.in.length - open.out.length;
  if (edits.length === 0) return void toast("All these edges are blended.", { id: "fade" });
  const what = clips.length === 1 ? clips[0].name : `${clips.length} clips`;
  if (session().edit(edits, off ? `Take fades off ${what}` : `Fade in and out ${what}`) && blended > 0)
    toast.info(`${blended === 1 ? "1 edge is" : `${blended} edges are`} blended and stayed as they are.`, { id: "fade", duration: 4000 });
}

/** For clips that are selected alone on their track, the one before or behind each: the gap between the two is what is meant. */
function besideAlone(clips: readonly Clip[], side: 1 | -1): string[] {
  return clips.flatMap((clip) => {
    if (clips.some((c) => c !== clip && c.trackId === clip.trackId)) return [];
    const lane = doc().lanes.get(clip.trackId)?.clips ?? [];
    const beside = side > 0 ? lane.find((c) => c.start >= clipEnd(clip)) : lane.findLast((c) => clipEnd(c) <= clip.start);
    return beside ? [beside.id] : [];
  });
}

/** Closes the gaps in the range, or between the selected clips, or beside those that are selected alone: by pulling clips out, or by moving up what is later. */
export function closeGaps(how: "pull" | "move" | "move-before"): void {
  const { range } = view();
  const clips = range ? null : meant("close the gaps between");
  if (!range && !clips) return;
  const { attacks, reach } = modeRules();
  const where = range
    ? { start: range.start, end: range.end, trackIds: [...range.trackIds] }
    : { clipIds: [...idsOf(clips ?? []), ...besideAlone(clips ?? [], how === "move-before" ? -1 : 1)] };
  showAftermath(session().edit([{ type: "close-gaps", ...where, how, attacks, reach }]), new Set(idsOf(clips ?? [])));
}

/** The hit nearest to the playhead in each selected clip, or its first one, becomes its sync point: what is placed and snapped is the hit. */
export function syncAtHit(): void {
  const clips = meant("give a sync point");
  if (!clips) return;
  const at = Math.round(view().playhead);
  const edits = clips.flatMap((clip): Edit[] => {
    const hits = hitsBetween(doc().sources, clip, clip.start, clipEnd(clip));
    const inside = at >= clip.start && at < clipEnd(clip);
    const hit = inside
      ? hits.reduce<number | undefined>((best, h) => (best === undefined || Math.abs(h - at) < Math.abs(best - at) ? h : best), undefined)
      : hits[0];
    return hit === undefined ? [] : [{ type: "set-clip", clipIds: [clip.id], sync: hit - clip.start }];
  });
  if (edits.length === 0) return void toast("There is no hit in what is selected.", { id: "sync" });
  session().edit(edits, edits.length === 1 ? "Sync point at a hit" : `Sync points at ${edits.length} hits`);
}

/** Opens the name of the selected clip, to be typed where it stands. */
export function renameClip(): void {
  const [clip] = meant("rename") ?? [];
  if (clip) setView({ naming: clip.id });
}

/** Trims the clips that the range crosses to what of them lies in it. */
export function trimToRange(): void {
  const { range } = view();
  if (!range) return void toast("Make a range first; the clips are trimmed to it.", { id: "trim" });
  const inside = range.trackIds.flatMap((id) => doc().lanes.get(id)?.within(range.start, range.end) ?? []);
  const selected = view().clipIds;
  const clips = selected.size ? inside.filter((c) => selected.has(c.id)) : inside;
  const edits: Edit[] = [];
  const late = clips.filter((c) => clipEnd(c) > range.end);
  const early = clips.filter((c) => c.start < range.start);
  // Ends first: they are not moved by what a rippling start pulls in.
  if (late.length) edits.push({ type: "trim", clipIds: idsOf(late), edge: "end", to: range.end, ...modeRules() });
  if (early.length) edits.push({ type: "trim", clipIds: idsOf(early), edge: "start", to: range.start, ...modeRules() });
  if (edits.length === 0) return void toast("No clip reaches beyond the range.", { id: "trim" });
  session().edit(edits, `Trim to range`);
}

/** Trims an edge of the selected clips to the next or previous hit of their recordings, those beyond the edge included. */
export function trimToHit(edge: "start" | "end", direction: 1 | -1): void {
  const clips = meant("trim");
  if (!clips) return;
  const edits: Edit[] = [];
  // What goes along with another through a link is trimmed with it, not once more by hits of its own.
  const along = new Set<string>();
  for (const clip of clips) {
    if (along.has(clip.id)) continue;
    if (settings().linksOn) for (const partner of partners(doc(), clip)) along.add(partner.id);
    const at = edge === "start" ? clip.offset : clip.offset + clip.length;
    const hits = hitsOf(doc().sources, clip).map((h) => h.at);
    const hit = direction > 0 ? hits.find((h) => h > at) : hits.findLast((h) => h < at);
    if (hit !== undefined) edits.push({ type: "trim", clipIds: [clip.id], edge, by: hit - at, ...modeRules() });
  }
  if (edits.length === 0) return void toast(direction > 0 ? "There is no later hit." : "There is no earlier hit.", { id: "trim" });
  session().edit(edits);
}

/** Every clip on the tracks meant. */
export function selectTrack(): void {
  const { trackId } = view();
  const ofClips = new Set(selectedClips().map((c) => c.trackId));
  // Clicking a clip chooses its track; where another is chosen, its head was clicked since.
  const tracks = ofClips.size > 0 && (!trackId || ofClips.has(trackId)) ? [...ofClips] : trackId ? [trackId] : tracksMeant();
  selectClips(
    doc(),
    tracks.flatMap((id) => idsOf(doc().lanes.get(id)?.clips ?? [])),
  );
}

/** From the selected clips, or the playhead, everything to the right on the same tracks. */
export function selectLater(): void {
  const clips = selectedClips();
  const tracks = clips.length ? [...new Set(clips.map((c) => c.trackId))] : tracksMeant();
  const from = clips.length ? Math.min(...clips.map((c) => c.start)) : view().playhead;
  selectClips(
    doc(),
    tracks.flatMap((id) => idsOf((doc().lanes.get(id)?.clips ?? []).filter((c) => c.start >= from))),
  );
}

/** The range over the selected clips, on their tracks. */
export function rangeOfSelection(): void {
  const clips = meant("make a range of");
  if (!clips) return;
  const tracks = new Set(clips.map((c) => c.trackId));
  setView({
    range: {
      start: Math.min(...clips.map((c) => c.start)),
      end: Math.max(...clips.map(clipEnd)),
      trackIds: laneBoxes(doc())
        .map((b) => b.trackId)
        .filter((id) => tracks.has(id)),
    },
    clipIds: new Set(),
  });
}

/** Puts silence as long as the range in at its start, over all tracks. */
export function insertTime(): void {
  const { range } = view();
  if (!range) return void toast("Make a range first: as much time is put in at its start, over all tracks.", { id: "time" });
  session().edit(
    [{ type: "insert-time", at: range.start, length: range.end - range.start }],
    `Insert ${formatLength(range.end - range.start, doc().sampleRate)}`,
  );
}

/** Takes the range's span out of the whole piece. */
export function removeTime(): void {
  const { range } = view();
  if (!range) return void toast("Make a range first: its span is taken out of all tracks.", { id: "time" });
  if (session().edit([{ type: "remove-time", start: range.start, end: range.end }])) setView({ range: null, playhead: range.start });
}

export type CutRule = "grid" | "hits" | "markers" | "parts" | "every";

/** Where the selected clips (or those under the range) would be cut by a rule, before any pad. */
export function cutsFor(rule: "grid" | "hits" | "markers", clip: Clip, gridLines: (from: number, to: number) => number[]): number[] {
  const [from, to] = [clip.start + 1, clipEnd(clip)];
  if (rule === "grid") return gridLines(from, to);
  if (rule === "markers")
    return [...doc().markers.values()]
      .map((m) => m.position)
      .filter((p) => p >= from && p < to)
      .sort((a, b) => a - b);
  return hitsBetween(doc().sources, clip, from, to);
}
