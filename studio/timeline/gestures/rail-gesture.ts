import type { Edit } from "@wet-thread/core/edit/registry";
import type { Document } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { settings } from "@/state/kept/settings";
import { view } from "@/state/view/view";
import { flagLines } from "../model/describe";
import { laneAt } from "../model/geometry";
import { snapped } from "../model/snapping";
import { CLICK_PIXELS, editing, type Gesture, type Plan, type Press, sampleAt } from "./gesture";
import { makeRange, tracksBetween } from "./range-gestures";

/** What a stroke along a seam rail meets on one track: a joint of two clips, else the edge of one. */
function metBy(doc: Document, trackId: string, start: number, end: number): "joint" | "in" | "out" | null {
  const clips = doc.lanes.get(trackId)?.within(start, end) ?? [];
  const starts = clips.filter((c) => c.start > start && c.start < end);
  const ends = clips.filter((c) => clipEnd(c) > start && clipEnd(c) < end);
  if (starts.some((c) => c.blend || ends.some((e) => clipEnd(e) === c.start))) return "joint";
  return starts.length > 0 ? "in" : ends.length > 0 ? "out" : null;
}

/**
 * A stroke along the seam rail fades the edge that it passes, or blends the joint, exactly as long as it is; drawn over several rails it
 * does so on all of them. A press that does not move is a click in the lane.
 */
export function strokeRail(doc: Document, pressed: Press): Gesture {
  const from = (): number => snapped(doc, { wanted: Math.max(0, sampleAt(pressed.x)), origin: 0 }).position;
  const click = makeRange(doc, pressed, undefined, false, false);
  const stroke = editing(doc, (p): Plan => {
    const tracks = tracksBetween(doc, pressed.y, p.y);
    const trackIds = tracks.length ? tracks : [laneAt(doc, pressed.y + view().scrollY)?.trackId ?? ""].filter(Boolean);
    const { position, target } = snapped(doc, { wanted: Math.max(0, sampleAt(p.x)), origin: 0, tracks: new Set(trackIds) });
    const [start, end] = [Math.min(from(), position), Math.max(from(), position)];
    if (end <= start) return { edits: [], lines: () => ["draw along the rail"] };
    const met = (what: "joint" | "in" | "out"): string[] => trackIds.filter((id) => metBy(doc, id, start, end) === what);
    const [joints, ins, outs] = [met("joint"), met("in"), met("out")];
    const { shape, bend } = settings().lastFade;
    const edits: Edit[] = [
      ...(joints.length ? [{ type: "blend-range", start, end, trackIds: joints, shape, bend }] : []),
      ...(ins.length ? [{ type: "fade-range", start, end, trackIds: ins, edge: "in", shape, bend }] : []),
      ...(outs.length ? [{ type: "fade-range", start, end, trackIds: outs, edge: "out", shape, bend }] : []),
    ];
    const words = [joints.length && "blends the joint", ins.length && "fades in", outs.length && "fades out"].filter(Boolean).join(", ");
    return {
      edits,
      lines: () => [
        `${words || "passes no edge"} ${formatLength(end - start, doc.sampleRate)}`,
        ...(trackIds.length > 1 ? [`on ${joints.length + ins.length + outs.length} of ${trackIds.length} tracks`] : []),
        ...flagLines(doc, position, null, target).slice(0, 1),
      ],
      shown: { range: { start, end, trackIds }, lit: target },
    };
  });
  return {
    acrossTracks: true,
    move: stroke.move,
    commit(p) {
      if (Math.abs(p.x - pressed.x) < CLICK_PIXELS) return click.commit(p);
      stroke.commit(p);
    },
  };
}
