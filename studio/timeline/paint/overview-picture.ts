import { type Document, documentEnd } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { laneBoxes } from "../model/geometry";
import { laneTally, seamsKnown } from "../model/seam-classes";
import { mix, type Palette, pixel } from "../model/theme";

/** Pixels at the foot of the overview for the seams: a tall madder mark where one is raw, a low faint one for the others. */
const SEAM_STRIP = 7;
const TOP = 4;

/** The length that the overview shows: the piece and a little more. */
export const overviewLength = (doc: Document): number => Math.max(documentEnd(doc) * 1.02, doc.sampleRate * 10);

interface Kept {
  readonly doc: Document;
  readonly palette: Palette;
  readonly known: number;
  readonly image: ImageData;
}
let kept: Kept | null = null;

/** The whole piece at one look: sections, every clip as a thread of its dye, and every seam. Made anew only when the piece has changed. */
export function overviewPicture(doc: Document, palette: Palette, width: number, height: number, scale: number): ImageData {
  const [w, h] = [Math.max(1, Math.round(width * scale)), Math.max(1, Math.round(height * scale))];
  const fits = kept && kept.image.width === w && kept.image.height === h;
  if (fits && kept?.doc === doc && kept.palette === palette && kept.known === seamsKnown()) return kept.image;
  const image = fits && kept ? kept.image : new ImageData(w, h);
  paint(new Uint32Array(image.data.buffer), doc, palette, w, h, scale);
  // What is found out while painting counts from the next time on.
  kept = { doc, palette, known: seamsKnown(), image };
  return image;
}

function paint(pixels: Uint32Array, doc: Document, palette: Palette, w: number, h: number, scale: number): void {
  const per = overviewLength(doc) / w;
  const fill = (x0: number, x1: number, y0: number, y1: number, color: number): void => {
    for (let y = Math.max(0, y0); y < Math.min(h, y1); y++) pixels.fill(color, y * w + Math.max(0, x0), y * w + Math.min(w, x1));
  };
  pixels.fill(pixel(palette.surface));
  for (const section of doc.sections.values()) {
    const color = pixel(mix(palette.surface, palette.dyes[section.color], 0.14));
    fill(Math.round(section.start / per), Math.round(section.end / per) - 1, 2, h - 2, color);
  }
  const boxes = laneBoxes(doc);
  const room = h - (TOP + SEAM_STRIP + 2) * scale;
  const rows = doc.piece.trackOrder.map((id) => doc.tracks.get(id)).filter((t) => t !== undefined);
  const step = Math.min(5 * scale, room / Math.max(1, rows.length));
  const thick = Math.max(1, Math.round(step - 1.5 * scale));
  rows.forEach((track, i) => {
    const y = Math.round(TOP * scale + i * step);
    for (const clip of doc.lanes.get(track.id)?.clips ?? []) {
      const x = Math.round(clip.start / per);
      const dye = palette.dyes[clip.color ?? track.color];
      // Hidden tracks are heard all the same: they are there, faintly.
      const strength = track.hidden ? 0.18 : clip.mute || track.mute ? 0.35 : 0.85;
      fill(x, Math.max(x + 1, Math.round(clipEnd(clip) / per)), y, y + thick, threads(palette, dye, strength));
    }
  });
  const [any, raw] = [new Uint8Array(w), new Uint8Array(w)];
  for (const box of boxes) {
    const tally = laneTally(doc, box.trackId);
    for (const seam of tally.seams) any[Math.min(w - 1, Math.round(seam.position / per))] = 1;
    for (const at of tally.raw) raw[Math.min(w - 1, Math.round(at / per))] = 1;
  }
  const [faint, madder] = [pixel(mix(palette.surface, palette.ink3, 0.7)), pixel(palette.dyes.madder)];
  const foot = h - Math.round(2 * scale);
  for (let x = 0; x < w; x++) if (any[x]) fill(x, x + 1, foot - Math.round(3 * scale), foot, faint);
  for (let x = 0; x < w; x++) if (raw[x]) fill(x, x + Math.max(1, Math.round(1.5 * scale)), foot - Math.round(SEAM_STRIP * scale), foot, madder);
}

const colors = new Map<string, number>();
function threads(palette: Palette, dye: string, strength: number): number {
  const key = `${palette.surface} ${dye} ${strength}`;
  let color = colors.get(key);
  if (color === undefined) {
    color = pixel(mix(palette.surface, dye, strength));
    colors.set(key, color);
  }
  return color;
}
