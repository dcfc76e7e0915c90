import { z } from "zod";
import { bareFade } from "../../../dsp/fades";
import { hitsBetween } from "../../../model/clip/hits";
import { blendAfter, timebaseOf } from "../../../model/document";
import { playedSource } from "../../../model/recipe/played-recording";
import { pointAt, withPoints } from "../../../model/recipe/warp-points";
import { type Clip, clipEnd, Length, Position, StretchKind } from "../../../model/schema";
import { formatLength } from "../../../time/format";
import { GridStep } from "../../../time/grid-step";
import { FeelOffsets } from "../../../time/swing";
import { blendSpans, cutApart, inside } from "../../cutting/cut";
import { withEnd, withStart } from "../../cutting/parts";
import { ClipIds, countNames, defineEdit } from "../../definition";
import { EditError } from "../../errors";
import { WINDOW } from "../../law";
import { setLength } from "../../laying/overlap";
import { recordingOf } from "../../remaking/remake";
import { type TightenedHit, tightened } from "../../remaking/tightening";
import { warped } from "../../remaking/warped";
import type { Transaction } from "../../transaction";

/** From a cut to so long after its attack a piece plays the recording's own samples. */
const OWN_SECONDS = 0.04;

/** A piece is pulled out no nearer than this to the attack that follows in its own recording, so that none is heard twice. */
const BEFORE_ATTACK_SECONDS = 0.001;

/** A piece shorter than this is hardly heard as one. */
const MOMENT_SECONDS = 0.001;

/** A piece of a clip as it is cut, with its hit, if it has one, and how far it goes. */
interface TightPiece {
  readonly id: string;
  readonly hit: number | null;
  readonly by: number;
}

/** Where a clip is cut for the hits that move, and what lies between: a cut `lead` before each of them, and before what follows one and stays or moves otherwise. */
function cutsFor(
  clip: Clip,
  plan: readonly TightenedHit[],
  lead: number,
  blends: ReturnType<typeof blendSpans>,
): { places: number[]; parts: Omit<TightPiece, "id">[] } {
  const places: number[] = [];
  const parts: { hit: number | null; by: number }[] = [{ hit: null, by: 0 }];
  let last = clip.start;
  for (const { at, to } of plan) {
    // A clip's own edges stay: a hit whose place lies beyond them stays too.
    const by = to >= clip.start && to < clipEnd(clip) ? to - at : 0;
    const before = parts[parts.length - 1];
    if (by === 0 && before.by === 0) continue;
    const place = Math.max(last + 1, at - lead);
    if (inside(blends, place) || place >= clipEnd(clip)) continue;
    const leads = parts.length === 1 && before.hit === null && place + by <= clip.start;
    if (at - lead <= clip.start || leads) {
      // It is what the clip begins with, or comes to be: of what lay before it nothing is left.
      parts[parts.length - 1] = { hit: at, by };
    } else {
      places.push(place);
      parts.push({ hit: at, by });
    }
    last = at;
  }
  return { places, parts };
}

/**
 * Moves the pieces of a clip and closes what opens between them. The clip's outer edges stay where they were, as far as there is material. Returns the
 * lengths of what stays silent.
 */
function movePieces(tx: Transaction, whole: Clip, pieces: readonly TightPiece[], lead: number, length: number): number[] {
  const rate = tx.before.sampleRate;
  const own = Math.ceil(OWN_SECONDS * rate);
  const most = Math.max(0, lead - Math.ceil(BEFORE_ATTACK_SECONDS * rate));
  const source = playedSource(tx.before.sources, whole)?.length ?? 0;
  const silent: number[] = [];
  for (const { id, by } of pieces) if (by !== 0) tx.setClip({ ...tx.clip(id), start: tx.clip(id).start + by });
  pieces.forEach((piece, i) => {
    const next = pieces[i + 1];
    if (!next) return;
    let [left, right] = [tx.clip(piece.id), tx.clip(next.id)];
    const splice = right.start;
    const gap = splice - clipEnd(left);
    if (gap === 0 && piece.by === next.by) return;
    // From here on the earlier piece may be blended: what comes before is its own attack.
    const free = piece.hit === null ? left.start + left.fadeIn.length : Math.min(splice, piece.hit + piece.by + own);
    left = withEnd(left, Math.max(left.start + 1, clipEnd(left) + (gap > 0 ? Math.min(gap, most) : gap)));
    const hidden = Math.min(length, right.offset);
    if (clipEnd(left) === splice) {
      const blend = Math.max(0, Math.min(hidden, splice - Math.max(free, left.start + left.fadeIn.length)));
      tx.setClip({ ...left, fadeOut: { ...bareFade(left.fadeOut), length: blend } });
      if (blend < 1) return tx.setClip(right);
      right = withStart(right, splice - blend);
      return tx.setClip({
        ...right,
        fadeIn: { length: blend, shape: "power", bend: 0 },
        blend: { with: left.id, law: "auto", place: "before", splice, linked: true },
      });
    }
    // What is left of the gap is silent: both sides fade, the later one before its cut.
    const out = Math.max(0, Math.min(length, clipEnd(left) - Math.max(free, left.start + left.fadeIn.length)));
    tx.setClip({ ...left, fadeOut: { length: out, shape: "power", bend: 0 } });
    silent.push(splice - clipEnd(left));
    const rise = Math.max(0, Math.min(hidden, splice - clipEnd(left)));
    tx.setClip({ ...withStart(right, splice - rise), fadeIn: { length: rise, shape: "power", bend: 0 } });
  });
  const [first, last] = [tx.clip(pieces[0].id), tx.clip(pieces[pieces.length - 1].id)];
  if (!first.blend && first.start !== whole.start)
    tx.setClip(withStart(first, first.start > whole.start ? Math.max(whole.start, first.start - first.offset) : whole.start));
  const end = tx.clip(last.id);
  if (clipEnd(end) !== clipEnd(whole) && !blendAfter(tx.doc, end)) {
    const wanted = clipEnd(whole) - clipEnd(end);
    const more = Math.min(wanted, source - end.offset - end.length);
    const next = withEnd(end, Math.max(end.start + end.fadeIn.length + 1, clipEnd(end) + more));
    tx.setClip({ ...next, fadeOut: { ...end.fadeOut, length: Math.min(end.fadeOut.length, next.length - end.fadeIn.length) } });
  }
  return silent;
}

/** A clip whose hits are warp points at their new places, its edges where they were: what lies between is stretched. */
function warpedToPlan(tx: Transaction, clip: Clip, plan: readonly TightenedHit[], kind: StretchKind): Clip {
  const source = recordingOf(tx, clip);
  const edges = [0, clip.length].map((into) => pointAt(source, clip, into));
  const inside = plan
    .filter((h) => h.to > clip.start && h.to < clipEnd(clip))
    .map((h) => ({ ...pointAt(source, clip, h.at - clip.start), to: h.to - clip.start }));
  return warped(tx, clip, withPoints(edges, inside), kind);
}

export const tighten = defineEdit({
  type: "tighten",
  law: { sound: "clips", fields: [...WINDOW, "recipe", "conform"] },
  about:
    "Draws the hits of clips to the lines of a grid: cut `lead` before each hit that moves, the pieces moved, what opens pulled out and blended before the attacks. A hit moves when it lies no farther from its line than `reach` and farther than `leave`, by `strength` of the way; `swing` makes every second line of a bar later by so much of half a step, a `feel` each line by ticks of its own. Linked clips are cut and moved alike, by the hits of the one that is named.",
  params: z.object({
    clipIds: ClipIds,
    grid: GridStep,
    strength: z.number().min(0).max(1).default(1),
    swing: z.number().min(0).max(1).default(0),
    feel: FeelOffsets.optional().describe("by how many ticks each line of a bar comes later, as somebody played them; in place of swing"),
    reach: Length.optional().describe("samples; left out, whatever the distance"),
    leave: z.int().min(0).default(0).describe("samples"),
    lead: z.int().min(0).max(96_000).default(192).describe("samples that a cut lies before its hit"),
    hits: z.array(Position).min(1).max(20_000).optional().describe("places of the timeline that count as hits; left out, those of the recordings"),
    blendLength: Length.optional().describe("length of the blends; left out, that of new edges' fade"),
    how: z.enum(["cutting", "stretching"]).default("cutting").describe("stretching, the hits become warp points and nothing is cut"),
    kind: StretchKind.default("hits").describe("how it is stretched"),
  }),
  example: { type: "tighten", clipIds: ["clip-1"], grid: { kind: "note", division: 16 }, strength: 0.8, hits: [12040, 23960] },
  links: "clipIds",
  apply(tx, { clipIds, grid, strength, swing, feel, reach, leave, lead, hits, blendLength, how: way, kind }) {
    const ids = [...new Set(clipIds)];
    const how = { step: grid, swing, feel, strength, reach: reach ?? Number.MAX_SAFE_INTEGER, leave };
    const timebase = timebaseOf(tx.before);
    const length = setLength(tx, { overlap: "blend", blendLength });
    const plans = new Map<string, TightenedHit[]>();
    const planOf = (lead: Clip): TightenedHit[] => {
      let plan = plans.get(lead.id);
      if (!plan) {
        const own = hits
          ? [...new Set(hits)].sort((a, b) => a - b).filter((h) => h >= lead.start && h < clipEnd(lead))
          : hitsBetween(tx.before.sources, lead, lead.start, clipEnd(lead));
        try {
          plan = tightened(own, timebase, how);
        } catch (error) {
          if (error instanceof RangeError) throw new EditError(error.message, "feel");
          throw error;
        }
        plans.set(lead.id, plan);
      }
      return plan;
    };
    const leaders = ids.filter((id) => !tx.leads.has(id)).map((id) => tx.clip(id));
    if (leaders.every((c) => planOf(c).length === 0)) throw new EditError("There are no hits in these clips to tighten.", "clipIds");
    let moved = 0;
    let short = 0;
    const silent: number[] = [];
    const { doc } = tx;
    // Two vocoders that listen to one track each would part what lay together: attacks are copied at the same places.
    const alike = way === "stretching" && kind === "smooth" && tx.leads.size > 0;
    if (alike) tx.notes.push("Linked tracks were stretched with their hits kept, so that they stay in step with each other.");
    for (const id of ids) {
      const clip = tx.clip(id);
      const plan = planOf(tx.before.clips.get(tx.leads.get(id) ?? id) as Clip).filter((h) => h.at > clip.start && h.at < clipEnd(clip));
      if (way === "stretching") {
        const going = plan.filter((h) => h.to !== h.at).length;
        if (going === 0) continue;
        tx.setClip({ ...warpedToPlan(tx, clip, plan, alike ? "hits" : kind), start: clip.start });
        if (!tx.leads.has(id)) moved += going;
        continue;
      }
      const { places, parts } = cutsFor(clip, plan, lead, blendSpans(doc, clip));
      if (parts.every((p) => p.by === 0)) continue;
      const [pieceIds] = cutApart(tx, [{ clipId: id, places }]);
      silent.push(
        ...movePieces(
          tx,
          clip,
          parts.map((p, i) => ({ ...p, id: pieceIds[i] })),
          lead,
          length,
        ),
      );
      short += pieceIds.filter((piece) => tx.clip(piece).length < MOMENT_SECONDS * tx.before.sampleRate).length;
      if (!tx.leads.has(id)) moved += parts.filter((p) => p.by !== 0).length;
    }
    if (moved === 0)
      throw new EditError("Every hit stays where it is: none lies within reach of its line and farther than what is left alone.", "reach");
    const { sampleRate } = tx.before;
    if (silent.length > 0)
      tx.notes.push(
        `${silent.length === 1 ? "1 gap stays" : `${silent.length} gaps stay`} silent, ${formatLength(
          silent.reduce((a, b) => a + b, 0),
          sampleRate,
        )} in all: no more could be pulled out there without an attack being heard twice. Fill them with the room.`,
      );
    if (short > 0)
      tx.notes.push(`${short === 1 ? "1 piece is" : `${short} pieces are`} shorter than a millisecond: hits lie that near to each other.`);
    return `Tighten ${moved === 1 ? "1 hit" : `${moved} hits`} of ${countNames(
      leaders.map((c) => c.name),
      "clip",
    )}`;
  },
});
