import { madeId, makingOf } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip } from "@wet-thread/core/model/schema";
import { useMaking } from "@/state/media/making";
import { NAME_STRIP } from "../model/geometry";
import { type OverlayScene, WORDS } from "../model/overlay-scene";
import { pieceNumbers } from "../model/piece-numbers";
import { faded, mix, type Palette } from "../model/theme";
import { waveInset } from "./cloth";

/** Room for a name and its margins, in pixels. */
export const NAMED_FROM = 30;
const FONTS = { tall: `500 12px ${WORDS}`, low: `500 10.5px ${WORDS}` } as const;
/** Widths of names already measured, in pixels; by font. */
const widths = { tall: new Map<string, number>(), low: new Map<string, number>() } as const;
const MOST_WIDTHS = 4000;
/** The plates behind names on low strips, by palette and dye. */
const plates = new WeakMap<Palette, Map<string, string>>();

/** The font that names set last; null when others may have set another since. */
let font: keyof typeof FONTS | null = null;
export const forgetFont = (): void => {
  font = null;
};

function widthOf(g: CanvasRenderingContext2D, text: string, size: keyof typeof FONTS): number {
  const known = widths[size];
  let width = known.get(text);
  if (width === undefined) {
    if (known.size > MOST_WIDTHS) known.clear();
    width = g.measureText(text).width;
    // Before its own font has come, text is as wide as another font makes it.
    if (document.fonts.status === "loaded") known.set(text, width);
  }
  return width;
}

function plateOf(palette: Palette, dye: string): string {
  let known = plates.get(palette);
  if (!known) {
    known = new Map();
    plates.set(palette, known);
  }
  let plate = known.get(dye);
  if (!plate) {
    plate = faded(mix(palette.raised, dye, palette.cloth), 0.8);
    known.set(dye, plate);
  }
  return plate;
}

/** How far what a clip plays is, while it is being made. */
function making(clip: Clip): string {
  if (!makingOf(clip.recipe)) return "";
  const progress = useMaking.getState().progress.get(madeId(clip));
  return progress === undefined ? "" : ` (making ${Math.round(100 * progress)} %)`;
}

/** The clip's name, as much of it as there is room for. On a low strip it lies small over the waveform, on a plate of cloth. */
export function paintName(
  g: CanvasRenderingContext2D,
  { doc, view, palette }: OverlayScene,
  clip: Clip,
  dye: string,
  washed: boolean,
  x0: number,
  x1: number,
  y0: number,
  y1: number,
): void {
  const from = Math.max(x0, 0);
  const end = Math.min(x1, view.width) - 4;
  if (end - from < NAMED_FROM - 4) return;
  const size = waveInset(y1 - y0) === 0 ? "low" : "tall";
  // Asking a canvas for its font, or giving it the same again, costs more than the drawing.
  if (font !== size) g.font = FONTS[size];
  font = size;
  g.textBaseline = "middle";
  const fadeWidth = Math.min(clip.fadeIn.length / view.samplesPerPixel, (end - from) * 0.4);
  const left = Math.max(x0 + fadeWidth * 0.8, 0) + 7;
  const lane = doc.lanes.get(clip.trackId);
  const number = lane && pieceNumbers(lane).get(clip.id);
  // What tells pieces apart stays where there is room for little.
  const after = `${number === undefined ? "" : ` ${number}`}${clip.mute ? " (muted)" : ""}${making(clip)}`;
  let text = clip.name + after;
  let width = widthOf(g, text, size);
  if (left + width > end) {
    const letters = Math.floor((text.length * (end - left)) / width) - 1;
    const kept = number === undefined ? 0 : ` ${number}`.length;
    text =
      letters > kept ? `${clip.name.slice(0, Math.max(1, letters - kept))}…${number === undefined ? "" : number}` : `${number ?? text.slice(0, 1)}`;
    width = end - left;
  }
  if (size === "low") {
    g.fillStyle = plateOf(palette, dye);
    g.fillRect(left - 3, y0 + 1, width + 6, 12);
  }
  g.fillStyle = washed ? palette.ink3 : palette.ink;
  g.fillText(text, left, y0 + (size === "low" ? 7.5 : NAME_STRIP / 2 + 1));
}
