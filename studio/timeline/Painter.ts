import type { Document } from "@wet-thread/core/model/document";
import { isAudible } from "@wet-thread/core/render/renderer";
import { transport } from "@/engine/transport";
import { settings, useSettings } from "@/state/kept/settings";
import { knowChannels, onMedia } from "@/state/media/media";
import { session } from "@/state/sync/session";
import { setView, useView, type View, view } from "@/state/view/view";
import type { ClothScene } from "./model/cloth-scene";
import { laneBoxes } from "./model/geometry";
import { gridColumns, viewGrid } from "./model/grid-columns";
import { preview, usePreview } from "./model/preview";
import { PALETTES } from "./model/theme";
import { fit, shown } from "./paint/canvas";
import { weaveFrom } from "./paint/cloth";
import { paintOverlay } from "./paint/overlay";
import { paintRulers, rulersHeight } from "./paint/rulers";

function mutedTracks(doc: Document): ReadonlySet<string> {
  let anySolo = false;
  for (const t of doc.tracks.values()) anySolo ||= t.solo;
  return new Set([...doc.tracks.values()].filter((t) => !isAudible(t, anySolo)).map((t) => t.id));
}

/** What is drawn on, and moved, by the page. */
export interface Sheets {
  readonly box: HTMLElement;
  readonly lanes: HTMLCanvasElement;
  readonly rulers: HTMLCanvasElement;
  /** The playhead's lines over the lanes and in the rulers. */
  readonly playhead: readonly HTMLElement[];
}

/** What of the view the raster of ground, cloth and waveforms hangs on, and what only the marks on it. */
const RASTER = [
  "start",
  "samplesPerPixel",
  "scrollY",
  "width",
  "height",
  "fanned",
  "magnify",
  "lentWaves",
] as const satisfies readonly (keyof View)[];
const MARKS = [
  "clipIds",
  "range",
  "seamId",
  "seamMade",
  "playhead",
  "fade",
  "point",
  "tool",
  "drawKind",
  "openBundle",
] as const satisfies readonly (keyof View)[];

/** Draws the lanes and rulers, once a frame and only what changed. */
export class Painter {
  private image: ImageData | null = null;
  private due = 0;
  private readonly dirty = { cloth: true, overlay: true, rulers: true };
  /** What the raster shows; null when it has to be made anew whatever the view. */
  private woven: ClothScene | null = null;
  private readonly offs: (() => void)[];

  constructor(private readonly sheets: Sheets) {
    for (const s of session().store.getState().sources.values()) knowChannels(s.id, s.channels);
    const size = new ResizeObserver(([entry]) => setView({ width: entry.contentRect.width, height: entry.contentRect.height }));
    size.observe(sheets.box);
    this.offs = [
      session().store.subscribe((s, old) => {
        if (s.sources !== old.sources) for (const row of s.sources.values()) knowChannels(row.id, row.channels);
        if (s.doc !== old.doc || s.sources !== old.sources) this.all();
      }),
      useSettings.subscribe(this.all),
      onMedia(this.all),
      useView.subscribe((v, old) => this.viewChanged(v, old)),
      usePreview.subscribe((p, old) => {
        this.dirty.cloth ||= p.doc !== old.doc;
        this.dirty.overlay = true;
        this.dirty.rulers ||= p.range !== old.range;
        this.request();
      }),
      () => size.disconnect(),
      () => cancelAnimationFrame(this.due),
    ];
    void document.fonts.ready.then(this.all);
    this.all();
  }

  off(): void {
    for (const off of this.offs) off();
  }

  private viewChanged(v: View, old: View): void {
    if (RASTER.some((k) => v[k] !== old[k])) return this.seen();
    this.dirty.overlay ||= MARKS.some((k) => v[k] !== old[k]);
    this.dirty.rulers ||= v.range !== old.range;
    this.request();
  }

  private request(): void {
    this.due ||= requestAnimationFrame(this.frame);
  }

  /** Another part of what is drawn came into view. */
  private seen(): void {
    this.dirty.cloth = this.dirty.overlay = this.dirty.rulers = true;
    this.request();
  }

  /** What is drawn changed, not only what of it is in view. */
  private readonly all = (): void => {
    this.woven = null;
    this.seen();
  };

  private readonly frame = (): void => {
    this.due = 0;
    const { dirty } = this;
    const doc = shown();
    if (view().playing) followEar();
    if (dirty.cloth || dirty.overlay) this.drawLanes(doc, dirty.cloth);
    if (dirty.cloth) {
      // Where the view is, for whoever drives the page from outside.
      const { start, samplesPerPixel, scrollY } = view();
      Object.assign(this.sheets.box.dataset, { start, samplesPerPixel, scrollY });
    }
    if (dirty.rulers) this.drawRulers(doc);
    dirty.cloth = dirty.overlay = dirty.rulers = false;
    this.placePlayhead();
    if (view().playing) this.request();
  };

  private drawRulers(doc: Document): void {
    const { rulers, theme } = settings();
    const v = view();
    const g = fit(this.sheets.rulers, v.width, rulersHeight(rulers));
    paintRulers(g, { rulers, doc, view: v, range: preview().range ?? v.range, palette: PALETTES[theme] });
  }

  /** The raster, and what lies on it, in one canvas: one layer less for the browser to put together. */
  private drawLanes(doc: Document, raster: boolean): void {
    const { lanes } = this.sheets;
    const v = view();
    const g = fit(lanes, v.width, v.height, true);
    if (lanes.width === 0 || lanes.height === 0) return;
    if (raster || this.image?.width !== lanes.width || this.image.height !== lanes.height) this.weave(doc, g);
    const scale = window.devicePixelRatio || 1;
    g.setTransform(1, 0, 0, 1, 0, 0);
    g.putImageData(this.image as ImageData, 0, 0);
    g.setTransform(scale, 0, 0, scale, 0, 0);
    paintOverlay(g, { doc, view: v, preview: preview(), palette: PALETTES[settings().theme], mutedTracks: mutedTracks(doc) });
  }

  /** Makes the raster of ground, cloth and waveforms anew, or where the view only went along by whole pixels, what came into it. */
  private weave(doc: Document, g: CanvasRenderingContext2D): void {
    const v = view();
    const set = settings();
    const { width, height } = this.sheets.lanes;
    if (this.image?.width !== width || this.image.height !== height) {
      this.image = g.createImageData(width, height);
      this.woven = null;
    }
    const scale = window.devicePixelRatio || 1;
    const grid = viewGrid(doc, set, v.start, v.samplesPerPixel);
    const scene: ClothScene = {
      doc,
      lanes: laneBoxes(doc),
      grid,
      palette: PALETTES[set.theme],
      width,
      height,
      scale,
      start: v.start,
      samplesPerPixel: v.samplesPerPixel,
      scrollY: v.scrollY,
      mutedTracks: mutedTracks(doc),
      gridStrength: set.gridStrength,
      gridDye: set.gridDye,
      fanned: v.fanned,
      magnify: v.magnify,
      lentWaves: v.lentWaves,
      gridColumns: gridColumns(grid, width, v.start, v.samplesPerPixel / scale, set.showGrid),
    };
    this.woven = weaveFrom(this.woven, new Uint32Array((this.image as ImageData).data.buffer), scene);
  }

  private placePlayhead(): void {
    const { start, samplesPerPixel, width, playing, playhead } = view();
    const x = ((preview().playhead ?? (playing ? transport().position() : playhead)) - start) / samplesPerPixel;
    for (const line of this.sheets.playhead) {
      line.style.transform = `translateX(${x.toFixed(2)}px)`;
      line.style.visibility = x >= -1 && x <= width ? "visible" : "hidden";
    }
  }
}

/** How far across the view the ear may come before a page is turned, and where it then stands. */
const TURN_AT = 0.92;
const TURN_TO = 0.08;

/** While playing, the view goes along with the ear as it is asked to. */
function followEar(): void {
  transport().tick();
  const { follow, start, samplesPerPixel, width } = view();
  if (transport().viewStays) return;
  const at = transport().position();
  const x = (at - start) / samplesPerPixel;
  if (follow === "centre") {
    // By whole pixels: the raster then only has to move.
    const pixels = Math.round(x - width / 2);
    if (pixels !== 0) setView({ start: Math.max(0, start + pixels * samplesPerPixel) });
  } else if (follow === "page" && (x > width * TURN_AT || x < 0)) setView({ start: Math.max(0, at - width * TURN_TO * samplesPerPixel) });
}
