import { z } from "zod";
import { bareFade } from "../../../dsp/fades";
import { hitsBetween } from "../../../model/clip/hits";
import { blendAfter } from "../../../model/document";
import { playedSource } from "../../../model/recipe/played-recording";
import { type Clip, clipEnd, Id, Length, Position } from "../../../model/schema";
import { unbroken } from "../../../seam/continuity";
import { formatLength } from "../../../time/format";
import { withEnd, withStart } from "../../cutting/parts";
import { defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { blendClips } from "../../laying/crossfade";
import { overlapParams, setLength } from "../../laying/overlap";
import { emptyParts, Reach, reachGroups, ripple, together } from "../../opening/neighbours";
import type { Transaction } from "../../transaction";

/** Two clips of a track with nothing between them. */
interface Gap {
  readonly trackId: string;
  readonly leftId: string;
  readonly rightId: string;
  readonly from: number;
  readonly to: number;
}

/** The gaps of a track that touch [from, to), between clips that `counts` lets pass, no longer than `longest`. */
function gapsOn(tx: Transaction, trackId: string, from: number, to: number, longest: number, counts: (clip: Clip) => boolean): Gap[] {
  const gaps: Gap[] = [];
  let last: Clip | null = null;
  for (const clip of tx.lane(trackId).clips) {
    if (clip.start >= to && last && clipEnd(last) >= to) break;
    if (last && clip.start > clipEnd(last)) {
      const gap = { trackId, leftId: last.id, rightId: clip.id, from: clipEnd(last), to: clip.start };
      if (gap.to > from && gap.from < to && gap.to - gap.from <= longest && counts(last) && counts(clip)) gaps.push(gap);
    }
    if (!last || clipEnd(clip) > clipEnd(last)) last = clip;
  }
  return gaps;
}

/** Fills a gap from the recordings: the earlier clip is pulled out first, then the later one. Returns how much of it is left. */
function pullOut(tx: Transaction, { leftId, rightId, from, to }: Gap): number {
  const left = tx.clip(leftId);
  const right = tx.clip(rightId);
  const has = (playedSource(tx.before.sources, left)?.length ?? 0) - left.offset - left.length;
  const later = Math.min(to - from, has);
  const earlier = Math.min(to - from - later, right.offset);
  if (later > 0) tx.setClip(withEnd(left, from + later));
  if (earlier > 0) tx.setClip(withStart(right, to - earlier));
  return to - from - later - earlier;
}

/**
 * Joins two clips that touch: where the one's recording runs on into the other, without a fade; else by a blend around the splice, which
 * with `attacks` ends before the first hit of the later one. Without material for one their own edges stay.
 */
function joinAt(tx: Transaction, { leftId, rightId }: Gap, length: number, attacks: boolean): void {
  const [left, right] = [tx.clip(leftId), tx.clip(rightId)];
  const splice = right.start;
  if (clipEnd(left) !== splice || right.blend || blendAfter(tx.doc, left)) return;
  const bare = [
    { ...left, fadeOut: bareFade(left.fadeOut) },
    { ...right, fadeIn: bareFade(right.fadeIn) },
  ] as const;
  if (unbroken(...bare)) {
    for (const clip of bare) tx.setClip(clip);
    return;
  }
  const [hit] = attacks ? hitsBetween(tx.before.sources, right, splice, splice + length) : [];
  const after = Math.min(length - Math.floor(length / 2), hit === undefined ? length : hit - splice);
  const shape = right.fadeIn.length > 0 ? right.fadeIn : { shape: "power" as const, bend: 0 };
  try {
    blendClips(tx, ...bare, splice, {
      length,
      place: "free",
      law: "auto",
      linked: true,
      shape: shape.shape,
      bend: shape.bend,
      reach: { before: length - after, after },
    });
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
  }
}

export const closeGaps = defineEdit({
  type: "close-gaps",
  law: { sound: "clips", fields: WINDOW, lays: "none" },
  about:
    "Closes the gaps between neighbouring clips, of those named, or of tracks where a range touches them. `pull`: the clips before them are pulled out over them, then those after them, as far as their recordings go. `move`: what comes later moves up, on the tracks in reach; `move-before`: what comes earlier moves later, and the rest stays. In each case they blend where they meet. What is left of a gap is noted.",
  params: z
    .object({
      clipIds: z.array(Id).optional(),
      start: Position.optional(),
      end: Position.optional(),
      trackIds: z.array(Id).optional(),
      how: z.enum(["pull", "move", "move-before"]).default("pull"),
      longest: Length.optional().describe("gaps longer than this stay"),
      blendLength: Length.optional().describe("length of the blends; left out, that of new edges' fade"),
      attacks: overlapParams.attacks,
      reach: Reach.describe("which tracks move; with all, markers, sections, tempo and meter too"),
    })
    .refine((p) => (p.clipIds?.length ?? 0) > 0 || (p.trackIds?.length ?? 0) > 0, {
      message: "Name the clips, or a range's tracks.",
      path: ["clipIds"],
    })
    .refine((p) => (p.end ?? Number.POSITIVE_INFINITY) > (p.start ?? 0), { message: "A range ends after it starts.", path: ["end"] }),
  example: { type: "close-gaps", trackIds: ["track-2"], start: 0, end: 480000, how: "move" },
  links: "clipIds",
  apply(tx, { clipIds, start = 0, end = Number.MAX_SAFE_INTEGER, trackIds, how, longest = Number.MAX_SAFE_INTEGER, blendLength, attacks, reach }) {
    const named = new Set(clipIds);
    const clips = [...named].map((id) => tx.clip(id));
    const tracks = clips.length ? [...new Set(clips.map((c) => c.trackId))] : [...new Set(trackIds)];
    for (const id of tracks) tx.track(id, "trackIds");
    const gaps = tracks.flatMap((id) => gapsOn(tx, id, start, end, longest, (c) => named.size === 0 || named.has(c.id)));
    if (gaps.length === 0) throw new EditError("There are no gaps to close there.", clips.length ? "clipIds" : "trackIds");
    const length = setLength(tx, { overlap: "blend", blendLength });
    const { sampleRate } = tx.before;
    let [closed, left] = [gaps.length, 0];
    if (how === "pull") {
      closed = 0;
      for (const gap of gaps) {
        const rest = pullOut(tx, gap);
        left += rest;
        if (rest === 0) closed++;
      }
      if (left > 0)
        tx.notes.push(
          `${closed === gaps.length ? "" : `${gaps.length - closed} of ${gaps.length} gaps are not closed: `}the recordings have no more there; ${formatLength(left, sampleRate)} are left.`,
        );
    } else moveUp(tx, gaps, reach, how === "move-before");
    for (const gap of gaps) joinAt(tx, gap, length, attacks);
    return closed === 1 && gaps.length === 1 ? "Close gap" : `Close ${closed} gaps`;
  },
});

/**
 * What is later moves up over gaps, or, with `before`, what is earlier moves later over them while what follows the last one stays. On several tracks
 * that move as one, only over what is empty on all of them.
 */
function moveUp(tx: Transaction, gaps: readonly Gap[], reach: Reach, before: boolean): void {
  const groups = reachGroups(
    tx,
    gaps.map((g) => g.trackId),
    reach,
  );
  const closed = groups.map((group) =>
    gaps
      .filter((g) => group.includes(g.trackId))
      .flatMap((gap) => {
        let parts = [{ from: gap.from, to: gap.to }];
        for (const id of group) parts = parts.flatMap((p) => emptyParts(tx, id, p.from, p.to));
        return parts.map((p) => ({ trackId: gap.trackId, at: p.to, by: p.from - p.to }));
      }),
  );
  const changes = closed.flat();
  const moved = changes.reduce((sum, c) => sum - c.by, 0);
  const wanted = gaps.reduce((sum, g) => sum + g.to - g.from, 0);
  if (moved === 0) throw new EditError("The gaps are not empty on the other tracks that would move along.", "reach");
  if (moved < wanted) tx.notes.push("Where other tracks that move along have sound, the gap stays.");
  // As much comes in at the very beginning as goes out at the gaps.
  const room = before
    ? closed.flatMap((list) => (list[0] ? [{ trackId: list[0].trackId, at: 0, by: -together(list).reduce((sum, c) => sum + c.by, 0) }] : []))
    : [];
  ripple(tx, [...room, ...changes], reach);
}
