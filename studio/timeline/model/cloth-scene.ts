import type { Document } from "@wet-thread/core/model/document";
import type { Dye } from "@wet-thread/core/model/schema";
import type { LentWaves } from "@/state/view/view";
import type { LaneBox } from "./geometry";
import type { ViewGrid } from "./grid-columns";
import type { Palette } from "./theme";

/** What the raster needs to know; all lengths in device pixels but for lane boxes. */
export interface ClothScene {
  readonly doc: Document;
  readonly palette: Palette;
  readonly width: number;
  readonly height: number;
  readonly scale: number;
  readonly start: number;
  readonly samplesPerPixel: number;
  readonly scrollY: number;
  readonly lanes: readonly LaneBox[];
  readonly grid: ViewGrid;
  /** Grid lines: strength 1 (fine) to 3 (bar) for each device column, 0 for none. */
  readonly gridColumns: Uint8Array;
  readonly mutedTracks: ReadonlySet<string>;
  readonly gridStrength: number;
  readonly gridDye: Dye | null;
  readonly fanned: boolean;
  /** Waveforms are drawn this many times taller. */
  readonly magnify: number;
  readonly lentWaves: LentWaves | null;
}
