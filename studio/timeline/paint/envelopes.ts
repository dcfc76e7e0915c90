import { envelopeOf, LINE_KINDS } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip } from "@wet-thread/core/model/schema";
import type { DrawKind } from "@/state/view/view";
import { type DrawnLine, lineOf, yOf } from "../model/envelope-lines";
import type { LaneBox } from "../model/geometry";
import { type OverlayScene, px } from "../model/overlay-scene";
import { faded, mix } from "../model/theme";

/** Lines of clips narrower than this are not drawn. */
const WIDE = 12;
/** A line is followed at every so many pixels. */
const STEP = 2;

/** The envelopes of a lane's clips, and its track's ride; with the draw tool also where nothing has been drawn yet. */
export function paintLines(g: CanvasRenderingContext2D, scene: OverlayScene, box: LaneBox, clips: readonly Clip[]): void {
  const { doc, view } = scene;
  const drawing = view.tool === "draw" ? view.drawKind : null;
  for (const clip of clips) {
    if (clip.length < WIDE * view.samplesPerPixel) continue;
    for (const kind of LINE_KINDS) {
      if (!envelopeOf(clip, kind) && drawing !== kind) continue;
      const line = lineOf(doc, view, box, kind, clip);
      if (line) paintLine(g, scene, line, drawing === kind);
    }
  }
  if (!box.track.ride && drawing !== "ride") return;
  const line = lineOf(doc, view, box, "ride", null);
  if (line) paintLine(g, scene, line, drawing === "ride");
}

const DYES: Readonly<Record<DrawKind, "weld" | "woad" | "fern" | "madder">> = { gain: "weld", pan: "woad", pitch: "fern", ride: "madder" };

function paintLine(g: CanvasRenderingContext2D, { view, palette }: OverlayScene, line: DrawnLine, active: boolean): void {
  const dye = palette.dyes[DYES[line.kind]];
  const [x0, x1] = [Math.max(0, px(view, line.from)), Math.min(view.width, px(view, line.to))];
  if (x1 <= x0) return;
  const at = (x: number): number => Math.max(line.from, Math.min(line.to - 1, Math.round(view.start + x * view.samplesPerPixel)));
  g.beginPath();
  const empty = line.points.length === 0;
  let last = Number.NaN;
  for (let x = x0; x <= x1 + STEP; x += STEP) {
    const here = Math.min(x, x1);
    const y = yOf(line, line.value(at(here)));
    // A step is drawn as one, not as a slope.
    if (Math.abs(y - last) > line.height / 4 && line.points.some((p) => p.hold)) g.lineTo(here, last);
    g.lineTo(here, y);
    last = y;
  }
  g.strokeStyle = active ? mix(palette.ink, dye, 0.75) : faded(mix(palette.ink, dye, 0.6), 0.65);
  g.lineWidth = active ? 1.8 : 1.1;
  g.setLineDash(empty ? [4, 4] : []);
  g.stroke();
  g.setLineDash([]);
  if (!active) return;
  for (const point of line.points) {
    const x = px(view, point.at);
    if (x < x0 - 6 || x > x1 + 6) continue;
    const chosen = view.point?.kind === line.kind && view.point.id === (line.clip?.id ?? line.trackId) && view.point.index === point.index;
    g.beginPath();
    if (point.hold) g.rect(x - 3.5, yOf(line, point.value) - 3.5, 7, 7);
    else g.arc(x, yOf(line, point.value), chosen ? 5 : 4, 0, 2 * Math.PI);
    g.fillStyle = chosen ? dye : palette.raised;
    g.fill();
    g.strokeStyle = palette.ink;
    g.lineWidth = 1.4;
    g.stroke();
  }
}
