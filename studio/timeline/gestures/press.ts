import { transport } from "@/engine/transport";
import { session } from "@/state/sync/session";
import { selectClips, setView, view } from "@/state/view/view";
import { clearPreview } from "../model/preview";
import { type Zone, zoneAt } from "../model/zones";
import type { Held } from "../tools/tool";
import { gestureFor, placeDecides, toolInHand } from "../tools/tools";
import { EdgeScroll } from "./edge-scroll";
import { CLICK_PIXELS, type Gesture, type Point, type Press } from "./gesture";
import { clickClip } from "./range-gestures";

/** Places where a press that does not move is the gesture's own business. */
const OWN_CLICK: ReadonlySet<Zone["kind"]> = new Set(["body", "lane", "below", "rail"]);

interface Begun {
  readonly gesture: Gesture;
  readonly p: Press;
  readonly zone: Zone;
  readonly add: boolean;
  /** The clip was selected before it was pressed. */
  readonly had: boolean;
  moved: boolean;
  last: Point;
}

/** One press over the lanes at a time: shown while it moves, done when it is let go, or called off. */
export class LanePress {
  private begun: Begun | null = null;
  private readonly edges = new EdgeScroll(() => this.begun?.gesture.move(this.begun.last));

  get on(): boolean {
    return this.begun !== null;
  }

  begin(p: Press, held: Held, finger: boolean): void {
    const doc = session().doc;
    const zone = zoneAt(doc, view(), p.x, p.y, finger);
    const add = held.add || view().picking;
    const had = zone.clip !== undefined && view().clipIds.has(zone.clip.id);
    // A press on a clip that is not selected selects it, so that the drag takes it alone.
    const takes = zone.clip && zone.kind !== "body" && zone.kind !== "range" && view().tool === "pointer" && !view().picking;
    if (takes && zone.clip && !had) {
      if (add) clickClip(doc, zone.clip, true);
      else selectClips(doc, [zone.clip.id]);
      setView({ trackId: zone.clip.trackId });
    }
    const gesture = gestureFor(doc, zone, p, { ...held, add });
    if (gesture) this.begun = { gesture, p, zone, add, had, moved: false, last: p };
  }

  move(p: Point): void {
    const { begun } = this;
    if (!begun) return;
    begun.last = p;
    if (!begun.moved && Math.hypot(p.x - begun.p.x, p.y - begun.p.y) < threshold(begun.gesture)) return;
    begun.moved = true;
    if (!toolInHand().looks) this.edges.follow(begun.p, p, begun.gesture.acrossTracks === true);
    begun.gesture.move(p);
  }

  /** A key that counts within a gesture went down or up: it is shown anew. */
  regrip(change: Partial<Pick<Point, "alt" | "shift">>): void {
    const { begun } = this;
    if (!begun) return;
    begun.last = { ...begun.last, ...change };
    if (begun.moved) begun.gesture.move(begun.last);
  }

  /** It was let go, inside the window or outside. */
  end(p: Point, outside: boolean): void {
    const { begun } = this;
    if (!begun) return;
    const { gesture, zone, moved } = begun;
    if (gesture.endsInWindow && moved && outside) {
      this.cancel();
      return;
    }
    this.edges.stop();
    this.begun = null;
    if (moved) return gesture.commit(p);
    if (placeDecides(toolInHand(), zone) && !OWN_CLICK.has(zone.kind)) click(begun);
    else if (gesture.drags) clearPreview();
    else gesture.commit(p);
  }

  /** Calls the gesture off; true when there was one. */
  cancel(): boolean {
    this.edges.stop();
    const had = this.begun !== null;
    if (had && view().tool === "listen") transport().endScrub();
    this.begun = null;
    clearPreview();
    return had;
  }
}

/** How far a press wanders before it moves: tools that do something where they are pressed show it at once; what is dragged waits until it is. */
const threshold = (of: Gesture): number => (of.drags || view().tool === "pointer" || view().tool === "range" ? CLICK_PIXELS : 0);

/** A press on a handle that did not move: it chooses what the handle belongs to. */
function click({ zone, add, had }: Begun): void {
  clearPreview();
  const { seam, clip } = zone;
  if (zone.kind === "seam" && seam) return setView({ seamId: seam.id, tab: "seam", clipIds: new Set(), trackId: seam.trackId });
  if (!clip || (add && !view().picking && !had)) return;
  clickClip(session().doc, clip, add);
  const edge = zone.kind === "fadeIn" ? "in" : zone.kind === "fadeOut" ? "out" : null;
  if (edge && !add && clip[edge === "in" ? "fadeIn" : "fadeOut"].length > 0) setView({ fade: { clipId: clip.id, edge } });
}
