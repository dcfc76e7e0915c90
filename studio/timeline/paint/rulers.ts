import { type Document, timebaseOf } from "@wet-thread/core/model/document";
import { formatClock } from "@wet-thread/core/time/format";
import { gridLines, stepForZoom, stepSamples } from "@wet-thread/core/time/grid";
import type { GridStep } from "@wet-thread/core/time/grid-step";
import { formatTimecode, sampleToFrame } from "@wet-thread/core/time/timecode";
import { RULERS, type Ruler } from "@/state/kept/settings";
import type { TimeRange, View } from "@/state/view/view";
import { faded, type Palette } from "../model/theme";

export const ROW_HEIGHTS: Readonly<Record<Ruler, number>> = { sections: 36, tempo: 21, bars: 25, time: 23, timecode: 23, samples: 23 };
export const RULER_NAMES: Readonly<Record<Ruler, string>> = {
  sections: "Sections and markers",
  tempo: "Tempo and meter",
  bars: "Bars and beats",
  time: "Minutes and seconds",
  timecode: "Timecode",
  samples: "Samples",
};

export interface RulerRow {
  readonly kind: Ruler;
  readonly top: number;
  readonly height: number;
}

/** The rows that are shown, from the top down. */
export function rulerRows(rulers: readonly Ruler[]): RulerRow[] {
  let top = 0;
  return RULERS.filter((kind) => rulers.includes(kind)).map((kind) => {
    const row = { kind, top, height: ROW_HEIGHTS[kind] };
    top += row.height;
    return row;
  });
}

export const rulersHeight = (rulers: readonly Ruler[]): number => rulerRows(rulers).reduce((h, r) => h + r.height, 0);

const NUMBERS = "'Red Hat Mono Variable', monospace";

export interface RulerScene {
  readonly doc: Document;
  readonly view: View;
  readonly range: TimeRange | null;
  readonly palette: Palette;
  readonly rulers: readonly Ruler[];
}

const px = (view: View, sample: number): number => (sample - view.start) / view.samplesPerPixel;

/** Bars and beats, clocks, timecode and samples, with the loop and the range behind them; marks lie above as elements of their own. */
export function paintRulers(g: CanvasRenderingContext2D, scene: RulerScene): void {
  const { view, palette, doc, range, rulers } = scene;
  const rows = rulerRows(rulers);
  const height = rulersHeight(rulers);
  g.clearRect(0, 0, view.width, height);
  g.fillStyle = palette.surface;
  g.fillRect(0, 0, view.width, height);
  const counted = rows.filter((r) => r.kind !== "sections" && r.kind !== "tempo");
  const top = counted[0]?.top ?? height;
  if (range) {
    g.fillStyle = faded(palette.dyes.weld, 0.25);
    g.fillRect(px(view, range.start), top, (range.end - range.start) / view.samplesPerPixel, height - top);
  }
  const { loop } = doc.piece;
  if (loop) {
    g.fillStyle = faded(palette.dyes.indigo, loop.on ? 0.14 : 0.05);
    g.fillRect(px(view, loop.start), top, (loop.end - loop.start) / view.samplesPerPixel, height - top);
  }
  for (const row of counted) {
    if (row.kind === "bars") paintBars(g, scene, row.top);
    if (row.kind === "time") paintClock(g, scene, row.top);
    if (row.kind === "timecode") paintTimecode(g, scene, row.top);
    if (row.kind === "samples") paintSampleCount(g, scene, row.top);
  }
  g.fillStyle = palette.line;
  for (const row of rows) g.fillRect(0, row.top + row.height - 1, view.width, 1);
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
    g.fillRect(Math.round(x), top + (bar ? 3 : ROW_HEIGHTS.bars - 8), 1, bar ? ROW_HEIGHTS.bars - 3 : 7);
  });
  g.textBaseline = "middle";
  // All labels of one density are written alike: bars, or beats too, or ticks too.
  const labelled = roomFor(62);
  eachLine(scene, labelled, (x, _, t) => {
    const p = timebase.meter.position(t);
    const whole = p.tick === 0 && p.beat === 1;
    g.fillStyle = whole ? palette.ink : palette.ink3;
    g.font = `${whole ? 700 : 500} 11px ${NUMBERS}`;
    const ticks = `.${String(p.tick).padStart(3, "0")}`;
    const text = labelled.kind === "bar" ? `${p.bar}` : labelled.kind === "beat" ? `${p.bar}.${p.beat}` : `${p.bar}.${p.beat}${ticks}`;
    g.fillText(text, Math.round(x) + 4, top + 11);
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
    g.fillRect(Math.round(x), top + ROW_HEIGHTS.time - 8, 1, 7);
    g.fillStyle = palette.ink3;
    g.fillText(formatClock(sample, doc.sampleRate, digits), Math.round(x) + 4, top + 11);
  });
}

function paintLabels(g: CanvasRenderingContext2D, scene: RulerScene, top: number, step: GridStep, text: (sample: number) => string): void {
  const { palette } = scene;
  g.textBaseline = "middle";
  g.font = `500 11px ${NUMBERS}`;
  eachLine(scene, step, (x, sample) => {
    g.fillStyle = palette.line;
    g.fillRect(Math.round(x), top + ROW_HEIGHTS.time - 8, 1, 7);
    g.fillStyle = palette.ink3;
    g.fillText(text(sample), Math.round(x) + 4, top + 11);
  });
}

function paintTimecode(g: CanvasRenderingContext2D, scene: RulerScene, top: number): void {
  const { doc, view } = scene;
  const { frameRate } = timebaseOf(doc);
  const perFrame = (doc.sampleRate * frameRate.den) / frameRate.num;
  const ladder = [1, 2, 5, 10, ...[1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800, 3600].map((s) => s * frameRate.count)];
  const count = ladder.find((frames) => (frames * perFrame) / view.samplesPerPixel >= 96) ?? 3600 * frameRate.count;
  paintLabels(g, scene, top, { kind: "frame", fraction: 1, count }, (sample) =>
    formatTimecode(sampleToFrame(sample, frameRate, doc.sampleRate), frameRate),
  );
}

function paintSampleCount(g: CanvasRenderingContext2D, scene: RulerScene, top: number): void {
  let count = 1;
  for (let k = 0; count / scene.view.samplesPerPixel < 84; k++) count *= k % 3 === 1 ? 2.5 : 2;
  paintLabels(g, scene, top, { kind: "sample", count: Math.max(1, Math.round(count)) }, (sample) => sample.toLocaleString("en-GB"));
}
