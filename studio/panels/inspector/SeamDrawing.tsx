"use client";
import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey } from "@wet-thread/core/edit/registry";
import { blendAfter, type Document } from "@wet-thread/core/model/document";
import { playedId, playedSource } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd, NO_FADE } from "@wet-thread/core/model/schema";
import { Renderer } from "@wet-thread/core/render/renderer";
import { seamSpans } from "@wet-thread/core/seam/measure";
import type { Seam } from "@wet-thread/core/seam/seams";
import { formatLength } from "@wet-thread/core/time/format";
import { Minus, Plus } from "lucide-react";
import { type PointerEvent as ReactPointerEvent, useEffect, useRef } from "react";
import { create } from "zustand";
import { settings, useSettings } from "@/state/kept/settings";
import { haveSamples, pageReader } from "@/state/media/media";
import { session } from "@/state/sync/session";
import { edited } from "@/state/view/modes";
import { drawnGain } from "@/timeline/model/drawn-gain";
import { clearPreview, setPreview } from "@/timeline/model/preview";
import { PALETTES, type Palette } from "@/timeline/model/theme";
import { Segments } from "@/ui/controls";
import { followPointer } from "@/ui/pointer-drag";

/** How seams are looked at; kept from seam to seam. `half`: samples shown on each side, null for as many as the fades want. */
const useLook = create<{ readonly half: number | null; readonly laid: "apart" | "over" }>(() => ({ half: null, laid: "apart" }));

const HIGH = 168;
const LEAST_HALF = 12;
const ZOOM = 1.6;
/** Crossings are marked when there are at most this many samples across. */
const CROSSINGS_FROM = 600;

interface Trace {
  readonly name: string;
  readonly wave: Float32Array;
  readonly color: string;
  readonly clip: Clip | null;
  /** What its recording holds beyond the edge, that is not heard. */
  readonly beyond?: { readonly wave: Float32Array; readonly from: number; readonly to: number };
}

/** Samples on each side that a seam's fades and blend want to be seen with. */
function halfFor(doc: Document, { left, right, position }: Seam): number {
  const spread = Math.max(
    right?.start === position || right?.blend ? right.fadeIn.length : 0,
    left && clipEnd(left) <= position + left.fadeOut.length ? left.fadeOut.length : 0,
  );
  return Math.min(Math.round(0.09 * doc.sampleRate), Math.max(Math.round(0.004 * doc.sampleRate), Math.round(spread * 1.4)));
}

/** A clip's recording beyond its edge at a seam, as it would sound if it were pulled out: only where there is any. */
function beyond(doc: Document, clip: Clip | null, side: "left" | "right", from: number, n: number): Trace["beyond"] {
  if (!clip) return undefined;
  const length = playedSource(doc.sources, clip)?.length ?? 0;
  const more =
    side === "left" ? Math.min(from + n - clipEnd(clip), length - clip.offset - clip.length) : Math.min(clip.start - Math.max(0, from), clip.offset);
  if (more < 1) return undefined;
  const span = side === "left" ? { from: clipEnd(clip), to: clipEnd(clip) + more } : { from: clip.start - more, to: clip.start };
  const bare = { ...clip, layer: 0, blend: null, mute: false, fadeIn: NO_FADE, fadeOut: NO_FADE };
  const alone =
    side === "left" ? { ...bare, length: clip.length + more } : { ...bare, start: span.from, offset: clip.offset - more, length: clip.length + more };
  const lane = doc.lanes.get(clip.trackId);
  if (!lane) return undefined;
  const only = { ...doc, lanes: new Map([...doc.lanes, [clip.trackId, lane.with([...lane.clips], [alone])]]) };
  return { wave: heard(only, clip.trackId, from, n, null), ...span };
}

/** What is heard of a track in [from, from + n): all of it, or only some clips. */
function heard(doc: Document, trackId: string, from: number, n: number, keep: readonly string[] | null): Float32Array {
  const track = doc.tracks.get(trackId);
  const out = [new Float32Array(n), new Float32Array(n)];
  const lane = doc.lanes.get(trackId);
  if (!track || !lane) return out[0];
  const gone = keep ? lane.clips.filter((x) => !keep.includes(x.id)) : [];
  const alone = {
    ...doc,
    lanes: keep ? new Map([...doc.lanes, [trackId, lane.with(gone, [])]]) : doc.lanes,
    tracks: new Map([[track.id, { ...track, mute: false, solo: false, gain: 0, pan: 0 }]]),
    piece: { ...doc.piece, trackOrder: [track.id] },
  };
  const first = Math.max(0, from);
  new Renderer(alone, pageReader).render(first, n - (first - from), out[0], out[1], first - from);
  return out[0];
}

/** Going out, coming in, and what is heard: one below the other or both sides laid over each other, at any zoom down to samples. */
export function SeamDrawing({ doc, seam }: { doc: Document; seam: Seam }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useSettings((s) => s.theme);
  const { half: asked, laid } = useLook();
  const half = asked ?? halfFor(doc, seam);
  const zoom = (factor: number): void => useLook.setState({ half: Math.max(LEAST_HALF, Math.min(doc.sampleRate, Math.round(half * factor))) });
  useEffect(() => {
    const c = canvas.current;
    if (!c) return;
    const wheel = (e: WheelEvent): void => {
      e.preventDefault();
      const now = useLook.getState().half ?? halfFor(doc, seam);
      useLook.setState({ half: Math.max(LEAST_HALF, Math.min(doc.sampleRate, Math.round(now * Math.exp(e.deltaY * 0.002)))) });
    };
    c.addEventListener("wheel", wheel, { passive: false });
    return () => c.removeEventListener("wheel", wheel);
  }, [doc, seam]);
  useEffect(() => {
    let stale = false;
    void (async () => {
      // With what lies beyond the edges, as far as it is drawn.
      const more = [seam.left, seam.right].flatMap((c) =>
        c ? [{ sourceId: playedId(c), from: Math.max(0, c.offset - half), to: c.offset + c.length + half }] : [],
      );
      const near = more.map((s, i) =>
        i === 0 && seam.left ? { ...s, from: Math.max(s.from, s.to - 3 * half) } : { ...s, to: Math.min(s.to, s.from + 3 * half) },
      );
      await Promise.all([...seamSpans(doc, seam), ...near].map((s) => haveSamples(s.sourceId, s.from, s.to)));
      const c = canvas.current;
      if (stale || !c) return;
      const scale = window.devicePixelRatio || 1;
      const wide = c.clientWidth;
      c.width = wide * scale;
      c.height = HIGH * scale;
      const g = c.getContext("2d") as CanvasRenderingContext2D;
      g.scale(scale, scale);
      paint(g, doc, seam, { from: seam.position - half, n: 2 * half, wide, laid, palette: PALETTES[theme] });
    })();
    return () => {
      stale = true;
    };
  }, [doc, seam, theme, half, laid]);
  return (
    <div>
      <canvas
        ref={canvas}
        className="w-full cursor-move touch-none rounded-md border border-line"
        style={{ height: HIGH }}
        role="img"
        title="Drag sideways for the length of the blend, up and down for its bend, with Alt to move the splice. Escape calls it off."
        aria-label="The seam: going out, coming in, and what is heard"
        onPointerDown={(e) => e.button === 0 && dragBlend(e, seam, half)}
      />
      <div className="mt-1.5 flex items-center gap-1.5">
        <div className="w-[104px]">
          <Segments
            label="Both sides"
            value={laid}
            onChange={(v) => useLook.setState({ laid: v })}
            options={[
              ["apart", "Apart"],
              ["over", "Over"],
            ]}
          />
        </div>
        <span className="num ml-auto whitespace-nowrap text-ink-2 text-sm">± {formatLength(half, doc.sampleRate)}</span>
        <button
          type="button"
          aria-label="Seam: farther"
          className="rounded-sm border border-line bg-raised p-1 hover:border-ink-3"
          onClick={() => zoom(ZOOM)}
        >
          <Minus size={12} />
        </button>
        <button
          type="button"
          aria-label="Seam: closer"
          className="rounded-sm border border-line bg-raised p-1 hover:border-ink-3"
          onClick={() => zoom(1 / ZOOM)}
        >
          <Plus size={12} />
        </button>
        <button
          type="button"
          className="rounded-sm border border-line bg-raised px-1.5 text-sm hover:border-ink-3 disabled:opacity-45"
          disabled={asked === null}
          onClick={() => useLook.setState({ half: null })}
        >
          Fit
        </button>
      </div>
    </div>
  );
}

/** Pixels that bend a blend all the way, and that a drag has to go before it counts along its way. */
const BEND_PIXELS = 120;
const DEAD_PIXELS = 5;

/** Drags the blend in the drawing: a preview of the piece while it goes on, one step when it is let go of. */
function dragBlend(e: ReactPointerEvent<HTMLCanvasElement>, seam: Seam, half: number): void {
  const { left, right } = seam;
  const { doc } = session();
  if (!left || !right || left === right || (!right.blend && (clipEnd(left) !== seam.position || right.start !== seam.position))) return;
  const per = (2 * half) / e.currentTarget.clientWidth;
  const [x0, y0] = [e.clientX, e.clientY];
  const { blend } = right;
  let edit: Edit | null = null;
  const key = newKey();
  followPointer(e.currentTarget, e.pointerId, {
    move(m) {
      const [dx, dy] = [m.clientX - x0, y0 - m.clientY];
      const { law, place } = settings().lastBlend;
      const bend =
        Math.abs(dy) < DEAD_PIXELS ? {} : { bend: Math.round(Math.max(-1, Math.min(1, right.fadeIn.bend + dy / BEND_PIXELS)) * 100) / 100 };
      const by = Math.abs(dx) < DEAD_PIXELS ? 0 : Math.round(dx * per);
      const base = { type: "set-blend", clipId: right.id, key };
      if (m.altKey && blend) edit = { ...base, splice: Math.max(0, blend.splice + by), ...bend };
      else if (blend) edit = { ...base, length: Math.max(1, right.fadeIn.length + 2 * by), ...bend };
      else
        edit =
          by === 0 ? null : { ...base, with: left.id, length: Math.max(1, 2 * Math.abs(by)), law, place, shape: settings().lastFade.shape, ...bend };
      try {
        setPreview({ doc: edit ? applyEdits(doc, [edited(edit, doc.sampleRate)]).doc : null });
      } catch (error) {
        if (!(error instanceof EditError)) throw error;
        edit = null;
        setPreview({ doc: null });
      }
    },
    drop() {
      clearPreview();
      if (edit) session().edit([edit]);
    },
    cancel: clearPreview,
  });
}

interface Look {
  readonly from: number;
  readonly n: number;
  readonly wide: number;
  readonly laid: "apart" | "over";
  readonly palette: Palette;
}

function paint(g: CanvasRenderingContext2D, doc: Document, seam: Seam, look: Look): void {
  const { from, n, wide, laid, palette } = look;
  const { left, right } = seam;
  const x = (sample: number): number => ((sample - from) / n) * wide;
  const traces: Trace[] = [
    {
      name: "going out",
      wave: heard(doc, seam.trackId, from, n, left ? [left.id] : []),
      color: palette.dyes.indigo,
      clip: left,
      beyond: beyond(doc, left, "left", from, n),
    },
    {
      name: "coming in",
      wave: heard(doc, seam.trackId, from, n, right ? [right.id] : []),
      color: palette.dyes.cochineal,
      clip: right,
      beyond: beyond(doc, right, "right", from, n),
    },
    { name: "what you hear", wave: heard(doc, seam.trackId, from, n, null), color: palette.ink, clip: null },
  ];
  g.fillStyle = palette.raised;
  g.fillRect(0, 0, wide, HIGH);
  if (right?.blend && left) {
    g.fillStyle = `${palette.dyes.weld}2e`;
    g.fillRect(x(right.start), 0, x(clipEnd(left)) - x(right.start), HIGH);
  }
  const peak = traces.reduce(
    (m, t) =>
      Math.max(
        m,
        t.wave.reduce((a, v) => Math.max(a, Math.abs(v)), 0),
      ),
    0.001,
  );
  const rows = laid === "apart" ? traces.map((t) => [t]) : [[traces[0], traces[1]], [traces[2]]];
  const high = HIGH / rows.length;
  rows.forEach((row, k) => {
    const middle = high * (k + 0.5);
    const tall = high / 2 - 4;
    g.strokeStyle = palette.weft;
    g.lineWidth = 1;
    g.beginPath();
    g.moveTo(0, middle);
    g.lineTo(wide, middle);
    if (k > 0) {
      g.moveTo(0, high * k);
      g.lineTo(wide, high * k);
    }
    g.stroke();
    for (const t of row) {
      if (t.beyond) {
        // Faint, and only beyond the edge.
        g.save();
        g.beginPath();
        g.rect(x(t.beyond.from), high * k, x(t.beyond.to) - x(t.beyond.from), high);
        g.clip();
        g.globalAlpha = 0.35;
        paintWave(g, { ...t, wave: t.beyond.wave }, look, middle, tall / peak);
        g.restore();
      }
      paintWave(g, t, look, middle, tall / peak);
      if (t.clip) paintGain(g, doc, t.clip, look, high * k + 3, high * (k + 1) - 3, t.color);
    }
    if (n <= CROSSINGS_FROM && row.some((t) => t.clip === null)) paintCrossings(g, traces[2].wave, look, middle);
    g.font = "11px 'Instrument Sans Variable', sans-serif";
    let at = 6;
    for (const t of row) {
      g.fillStyle = laid === "over" && row.length > 1 ? t.color : palette.ink3;
      g.fillText(t.name, at, high * (k + 1) - 5);
      at += g.measureText(t.name).width + 12;
    }
  });
  g.strokeStyle = palette.dyes.madder;
  g.lineWidth = 1;
  g.beginPath();
  g.moveTo(x(seam.position), 0);
  g.lineTo(x(seam.position), HIGH);
  g.stroke();
}

function paintWave(g: CanvasRenderingContext2D, { wave, color }: Trace, { n, wide }: Look, middle: number, scale: number): void {
  const per = n / wide;
  g.strokeStyle = color;
  g.lineWidth = 1.2;
  g.beginPath();
  if (per <= 1) {
    for (let i = 0; i < n; i++) g.lineTo((i / n) * wide, middle - wave[i] * scale);
    g.stroke();
    if (per > 0.5) return;
    g.fillStyle = color;
    for (let i = 0; i < n; i++) {
      g.beginPath();
      g.arc((i / n) * wide, middle - wave[i] * scale, 1.8, 0, 2 * Math.PI);
      g.fill();
    }
    return;
  }
  for (let px = 0; px < wide; px++) {
    const a = Math.floor(px * per);
    const b = Math.max(a + 1, Math.floor((px + 1) * per));
    let [min, max] = [1, -1];
    for (let i = a; i < b && i < n; i++) {
      min = Math.min(min, wave[i]);
      max = Math.max(max, wave[i]);
    }
    g.lineTo(px, middle - max * scale);
    if (per > 1.5) g.lineTo(px, middle - min * scale);
  }
  g.stroke();
}

/** The gain of a side's fades and blend, from nothing at the foot of its row to unity at the top. */
function paintGain(g: CanvasRenderingContext2D, doc: Document, clip: Clip, { from, n, wide }: Look, top: number, foot: number, color: string): void {
  const follower = clip.fadeOut.length > 0 ? blendAfter(doc, clip) : undefined;
  g.strokeStyle = color;
  g.globalAlpha = 0.55;
  g.setLineDash([4, 3]);
  g.beginPath();
  for (let px = 0; px <= wide; px += 2) {
    const at = from + (px / wide) * n;
    const inside = at >= clip.start && at < clipEnd(clip);
    const gain = inside ? Math.min(1, drawnGain(clip, follower, Math.min(clipEnd(clip) - 1, at))) : 0;
    g.lineTo(px, foot - gain * (foot - top));
  }
  g.stroke();
  g.setLineDash([]);
  g.globalAlpha = 1;
}

function paintCrossings(g: CanvasRenderingContext2D, wave: Float32Array, { n, wide, palette }: Look, middle: number): void {
  g.strokeStyle = palette.dyes.fern;
  g.beginPath();
  for (let i = 1; i < n; i++) {
    if (!(wave[i - 1] < 0 && wave[i] >= 0)) continue;
    const x = (i / n) * wide;
    g.moveTo(x, middle - 4);
    g.lineTo(x, middle + 4);
  }
  g.stroke();
}
