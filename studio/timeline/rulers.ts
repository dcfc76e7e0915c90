import { type Document, documentEnd, timebaseOf } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { formatClock } from "@wet-thread/core/time/format";
import { type GridStep, gridLines, stepForZoom, stepSamples } from "@wet-thread/core/time/grid";
import type { TimeRange, View } from "@/state/view";
import { laneBoxes } from "./geometry";
import { faded, mix, type Palette } from "./theme";

export const ROWS = { sections: 22, bars: 25, time: 23 } as const;
export type RulerRow = keyof typeof ROWS;

const NUMBERS = "'Red Hat Mono Variable', monospace";
const WORDS = "'Instrument Sans Variable', sans-serif";

export interface RulerScene {
  readonly doc: Document;
  readonly view: View;
  readonly range: TimeRange | null;
  readonly palette: Palette;
}

const px = (view: View, sample: number): number => (sample - view.start) / view.samplesPerPixel;

/** Sections and markers, bars and beats with the loop, minutes and seconds. */
export function paintRulers(g: CanvasRenderingContext2D, scene: RulerScene): void {
  const { view, palette } = scene;
  const height = ROWS.sections + ROWS.bars + ROWS.time;
  g.clearRect(0, 0, view.width, height);
  g.fillStyle = palette.surface;
  g.fillRect(0, 0, view.width, height);
  paintSections(g, scene);
  paintLoopAndRange(g, scene);
  paintBars(g, scene, ROWS.sections);
  paintClock(g, scene, ROWS.sections + ROWS.bars);
  paintMarkers(g, scene);
  g.fillStyle = palette.line;
  g.fillRect(0, ROWS.sections + ROWS.bars - 1, view.width, 1);
  g.fillRect(0, height - 1, view.width, 1);
}

function paintSections(g: CanvasRenderingContext2D, { doc, view, palette }: RulerScene): void {
  g.textBaseline = "middle";
  for (const section of doc.sections.values()) {
    const x0 = px(view, section.start);
    const x1 = px(view, section.end);
    if (x1 < 0 || x0 > view.width) continue;
    const dye = palette.dyes[section.color];
    g.fillStyle = mix(palette.surface, dye, 0.18);
    g.fillRect(x0, 3, x1 - x0 - 1, ROWS.sections - 5);
    g.fillStyle = dye;
    g.fillRect(x0, 3, 2.5, ROWS.sections - 5);
    g.save();
    g.beginPath();
    g.rect(Math.max(0, x0), 0, Math.min(view.width, x1) - Math.max(0, x0) - 4, ROWS.sections);
    g.clip();
    g.fillStyle = palette.ink;
    g.font = `600 12px ${WORDS}`;
    g.fillText(section.name, Math.max(0, x0) + 9, ROWS.sections / 2 + 1);
    g.restore();
  }
}

function paintMarkers(g: CanvasRenderingContext2D, { doc, view, palette }: RulerScene): void {
  for (const marker of doc.markers.values()) {
    const x = px(view, marker.position);
    if (x < -80 || x > view.width) continue;
    const y = ROWS.sections - 2;
    g.fillStyle = palette.dyes[marker.color];
    g.beginPath();
    g.moveTo(x - 4.5, y - 8);
    g.lineTo(x + 4.5, y - 8);
    g.lineTo(x, y);
    g.closePath();
    g.fill();
    g.fillRect(x - 0.5, y, 1, 6);
  }
}

function paintLoopAndRange(g: CanvasRenderingContext2D, { doc, view, range, palette }: RulerScene): void {
  if (range) {
    g.fillStyle = faded(palette.dyes.weld, 0.25);
    g.fillRect(px(view, range.start), ROWS.sections, (range.end - range.start) / view.samplesPerPixel, ROWS.bars + ROWS.time);
  }
  const { loop } = doc.piece;
  if (!loop) return;
  g.fillStyle = loop.on ? palette.dyes.indigo : palette.ink3;
  const width = (loop.end - loop.start) / view.samplesPerPixel;
  g.fillRect(px(view, loop.start), ROWS.sections, width, 3);
  g.fillStyle = faded(palette.dyes.indigo, loop.on ? 0.14 : 0.05);
  g.fillRect(px(view, loop.start), ROWS.sections + 3, width, ROWS.bars - 4);
}

/** Steps through the lines of a step that are in view. */
function eachLine(scene: RulerScene, step: GridStep, draw: (x: number, sample: number, tick: number) => void): void {
  const { doc, view } = scene;
  const lines = gridLines(step, timebaseOf(doc));
  const end = view.start + view.width * view.samplesPerPixel;
  let line = lines.before(Math.max(0, view.start));
  for (let n = 0; n < 2000 && line.sample <= end; n++) {
    draw(px(view, line.sample), line.sample, line.tick ?? 0);
    line = lines.after(line.sample);
  }
}

function paintBars(g: CanvasRenderingContext2D, scene: RulerScene, top: number): void {
  const { doc, view, palette } = scene;
  const timebase = timebaseOf(doc);
  const tick = Math.max(0, timebase.tempo.ticksAt(view.start));
  const fine = stepForZoom("musical", view.samplesPerPixel, timebase, tick);
  const roomFor = (pixels: number): GridStep => stepForZoom("musical", (view.samplesPerPixel * pixels) / 14, timebase, tick);
  g.fillStyle = palette.line;
  eachLine(scene, fine, (x, _, t) => {
    const p = timebase.meter.position(t);
    const bar = p.tick === 0 && p.beat === 1;
    g.fillRect(Math.round(x), top + (bar ? 3 : ROWS.bars - 8), 1, bar ? ROWS.bars - 3 : 7);
  });
  g.textBaseline = "middle";
  eachLine(scene, roomFor(48), (x, _, t) => {
    const p = timebase.meter.position(t);
    const whole = p.tick === 0 && p.beat === 1;
    g.fillStyle = whole ? palette.ink : palette.ink3;
    g.font = `${whole ? 700 : 500} 11px ${NUMBERS}`;
    g.fillText(
      whole ? `${p.bar}` : p.tick === 0 ? `${p.bar}.${p.beat}` : `${p.bar}.${p.beat}.${String(p.tick).padStart(3, "0")}`,
      Math.round(x) + 4,
      top + 11,
    );
  });
}

function paintClock(g: CanvasRenderingContext2D, scene: RulerScene, top: number): void {
  const { doc, view, palette } = scene;
  const timebase = timebaseOf(doc);
  const ladder = [
    1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 15_000, 30_000, 60_000, 120_000, 300_000, 600_000, 1_800_000, 3_600_000,
  ];
  const milliseconds = ladder.find((ms) => stepSamples({ kind: "time", milliseconds: ms }, timebase) / view.samplesPerPixel >= 76) ?? 3_600_000;
  const digits = milliseconds >= 1000 ? 0 : milliseconds >= 100 ? 1 : milliseconds >= 10 ? 2 : 3;
  g.textBaseline = "middle";
  g.font = `500 11px ${NUMBERS}`;
  eachLine(scene, { kind: "time", milliseconds }, (x, sample) => {
    g.fillStyle = palette.line;
    g.fillRect(Math.round(x), top + ROWS.time - 8, 1, 7);
    g.fillStyle = palette.ink3;
    g.fillText(formatClock(sample, doc.sampleRate, digits), Math.round(x) + 4, top + 11);
  });
}

/** The length that the overview shows: the piece and a little more. */
export const overviewLength = (doc: Document): number => Math.max(documentEnd(doc) * 1.02, doc.sampleRate * 10);

/** The whole piece at one look: sections, every clip as a thread of its dye, the playhead, and the lens over what is in view. */
export function paintOverview(g: CanvasRenderingContext2D, { doc, view, palette }: RulerScene, width: number, height: number): void {
  g.clearRect(0, 0, width, height);
  const per = overviewLength(doc) / width;
  const boxes = laneBoxes(doc);
  for (const section of doc.sections.values()) {
    g.fillStyle = faded(palette.dyes[section.color], 0.12);
    g.fillRect(section.start / per, 2, (section.end - section.start) / per - 1, height - 4);
  }
  const step = Math.min(5, (height - 10) / Math.max(1, boxes.length));
  const thick = Math.max(1, step - 1.5);
  boxes.forEach((box, i) => {
    const y = 5 + i * step;
    for (const clip of doc.lanes.get(box.trackId)?.clips ?? []) {
      g.fillStyle = faded(palette.dyes[clip.color ?? box.track.color], clip.mute || box.track.mute ? 0.35 : 0.85);
      g.fillRect(clip.start / per, y, Math.max(1, (clipEnd(clip) - clip.start) / per), thick);
    }
  });
  g.fillStyle = palette.dyes.madder;
  g.fillRect(view.playhead / per, 1, 1.5, height - 2);
  const x0 = view.start / per;
  const wide = Math.max(6, (view.width * view.samplesPerPixel) / per);
  g.fillStyle = faded(palette.ink, 0.06);
  g.strokeStyle = palette.ink2;
  g.lineWidth = 1.5;
  g.beginPath();
  g.roundRect(x0, 1.5, wide, height - 3, 5);
  g.fill();
  g.stroke();
}
