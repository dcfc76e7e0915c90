import type { Document } from "../model/document";
import type { FadeCurve } from "../model/schema";

export type Side = "start" | "end";

/** What new edges get: a fade, length 0 leaving them bare, or a blend with the edge that they meet. */
export interface NewEdges extends Pick<FadeCurve, "length" | "shape" | "bend"> {
  /** A blend where the edge meets another one and there is material, else the fade. */
  readonly blend: boolean;
  /** Takes nothing from an attack. */
  readonly attacks: boolean;
  /** Goes by itself as soon as the audio runs on again. */
  readonly lent: boolean;
}
export const BARE_EDGES: NewEdges = { length: 0, shape: "power", bend: 0, blend: false, attacks: false, lent: true };

/**
 * Where an edge comes from: laid bare by this edit, kept just as it is whatever it looks like, or one that a clip had before. One that is `slid`
 * stands where it stood, though other audio lies at it.
 */
export type EdgeOrigin = "new" | "kept" | { readonly clipId: string; readonly side: Side; readonly slid?: true };

/** Where edges come from that are not simply those which their clip had before. */
export class EdgeOrigins {
  private readonly told: Readonly<Record<Side, Map<string, EdgeOrigin>>> = { start: new Map(), end: new Map() };

  constructor(private readonly before: Document) {}

  isNew(clipId: string, side: Side): void {
    this.told[side].set(clipId, "new");
  }
  isKept(clipId: string, side: Side): void {
    this.told[side].set(clipId, "kept");
  }

  /** An edge is one that another clip, or the other side, had until now. */
  comesFrom(clipId: string, side: Side, from: string, fromSide: Side): void {
    this.told[side].set(clipId, this.of(from, fromSide));
  }
  /** A clip's edges stand where they stood, though its audio went along inside them. */
  stay(clipId: string): void {
    for (const side of ["start", "end"] as const) {
      const origin = this.of(clipId, side);
      if (typeof origin === "object") this.told[side].set(clipId, { ...origin, slid: true });
    }
  }
  /** A clip was turned round in place: its start is what was its end. */
  turn(clipId: string): void {
    const [start, end] = [this.of(clipId, "start"), this.of(clipId, "end")];
    this.told.start.set(clipId, end);
    this.told.end.set(clipId, start);
  }
  of(clipId: string, side: Side): EdgeOrigin {
    return this.told[side].get(clipId) ?? (this.before.clips.has(clipId) ? { clipId, side } : "new");
  }
}
