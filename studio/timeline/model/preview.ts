import type { Document } from "@wet-thread/core/model/document";
import { create } from "zustand";
import type { TimeRange } from "@/state/view/view";

/** What a gesture shows while it goes on. Nothing here is a commit. */
export interface Preview {
  /** The piece as it would be. */
  readonly doc: Document | null;
  /** The piece as it is to be heard meanwhile; null: as it is. */
  readonly heard: Document | null;
  readonly range: TimeRange | null;
  readonly playhead: number | null;
  /** A small dark flag at the pointer: the first line stands out. */
  readonly flag: { readonly x: number; readonly y: number; readonly lines: readonly string[] } | null;
  /** Frame that picks the clips it touches, in pixels of the lanes. */
  readonly band: { readonly x0: number; readonly y0: number; readonly x1: number; readonly y1: number } | null;
  /** Where a clip will go in (reorder), on a track. */
  readonly joint: { readonly trackId: string; readonly position: number } | null;
  /** Cuts that a command would make. */
  readonly cuts: readonly { readonly trackId: string; readonly position: number }[];
  /** Stretches that a command would take out of a track's clips. */
  readonly cleared: readonly { readonly trackId: string; readonly from: number; readonly to: number }[];
  /** Other clips that a command has just moved or cut, outlined for a moment. */
  readonly echo: ReadonlySet<string>;
  /** What attracted, to be lit. */
  readonly lit: { readonly position: number; readonly kind: string } | null;
  /** The zone under the pointer before a press: which clip, which part. */
  readonly zone: { readonly kind: string; readonly clipId?: string; readonly seamId?: string; readonly x?: number } | null;
}

const NOTHING: Preview = {
  doc: null,
  heard: null,
  range: null,
  playhead: null,
  flag: null,
  band: null,
  joint: null,
  cuts: [],
  cleared: [],
  echo: new Set(),
  lit: null,
  zone: null,
};

export const usePreview = create<Preview>(() => NOTHING);
export const preview = (): Preview => usePreview.getState();
export function setPreview(change: Partial<Preview>): void {
  usePreview.setState(change);
}
export const clearPreview = (): void => usePreview.setState(NOTHING);
