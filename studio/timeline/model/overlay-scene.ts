import type { Document } from "@wet-thread/core/model/document";
import type { View } from "@/state/view/view";
import type { Preview } from "./preview";
import type { Palette } from "./theme";

/** What the layers above the cloth are drawn from. */
export interface OverlayScene {
  readonly doc: Document;
  readonly view: View;
  readonly preview: Preview;
  readonly palette: Palette;
  readonly mutedTracks: ReadonlySet<string>;
}

export const WORDS = "'Instrument Sans Variable', sans-serif";
export const NUMBERS = "'Red Hat Mono Variable', monospace";

export const px = (view: Pick<View, "start" | "samplesPerPixel">, sample: number): number => (sample - view.start) / view.samplesPerPixel;
