"use client";
import { materialAt } from "@wet-thread/core/edit/clips/blends";
import { blendAfter, type Document, timebaseOf } from "@wet-thread/core/model/document";
import { type Blend, clipEnd } from "@wet-thread/core/model/schema";
import { likeness } from "@wet-thread/core/render/likeness";
import { Renderer } from "@wet-thread/core/render/renderer";
import { measureSeam, quietEdges, type SeamMeasure, seamSpans } from "@wet-thread/core/seam/measure";
import type { Seam } from "@wet-thread/core/seam/seams";
import { formatBars, formatLength } from "@wet-thread/core/time/format";
import { Play } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { smoothSeam, stepSeam } from "@/commands/actions";
import { keyOf } from "@/commands/commands";
import { transport } from "@/engine/transport";
import { haveSamples, pageReader } from "@/state/media";
import { session, useSession } from "@/state/session";
import { settings, useSettings } from "@/state/settings";
import { useView } from "@/state/view";
import { findSeam, seamClass } from "@/timeline/seam-classes";
import { PALETTES } from "@/timeline/theme";
import { Button, Field, Segments } from "@/ui/controls";
import { SHAPE_NAMES, Shapes } from "../ModeLine";
import { Empty, Label, lengthFrom, numberFrom, signed } from "./parts";

const BADGES: Readonly<Record<string, string>> = {
  raw: "bg-madder/15 text-madder",
  smooth: "bg-fern/15 text-fern",
  blended: "bg-cochineal/15 text-cochineal",
  unbroken: "bg-weft text-ink-2",
};

/** Seconds listened to before and after a seam. */
const LEAD = 1.2;

export function SeamTab() {
  const doc = useSession((s) => s.doc);
  const id = useView((v) => v.seamId);
  const seam = findSeam(doc, id);
  const { measure, alike } = useMeasure(doc, seam);
  if (!seam) {
    return <Empty title="No seam chosen">Click a mark under a lane. {keyOf("next-seam")} steps to the next seam.</Empty>;
  }
  const kind = seamClass(doc, seam);
  const { left, right } = seam;
  const title = left && right ? `${left.name} into ${right.name}` : right ? `Start of ${right.name}` : left ? `End of ${left.name}` : "Silent seam";
  return (
    <div>
      <div className="flex items-start justify-between gap-2">
        <h2 className="font-semibold text-[14px] leading-tight">{title}</h2>
        <span className={`shrink-0 rounded-sm px-2 py-0.5 font-semibold text-sm ${BADGES[kind]}`} data-testid="seam-class">
          {kind}
        </span>
      </div>
      <p className="num mt-0.5 mb-2.5 text-ink-3 text-sm">{formatBars(seam.position, timebaseOf(doc))}</p>
      <Drawing doc={doc} seam={seam} />
      <dl className="num mt-3 grid grid-cols-3 gap-2 text-sm">
        <Figure name="Level through" value={measure?.dip == null ? "–" : `${signed(measure.dip, 1)} dB`} />
        <Figure name="Click" value={!measure ? "…" : measure.click === null ? "none" : `${signed(measure.click, 0)} dB`} />
        <Figure name="Alike" value={alike === null ? "–" : alike.toFixed(2)} />
      </dl>
      {right?.blend && left ? <BlendControls doc={doc} seam={seam} blend={right.blend} alike={alike} /> : <OpenControls doc={doc} seam={seam} />}
      <div className="mt-4 flex gap-2 border-line border-t pt-3">
        <Button
          className="flex-1"
          onClick={() =>
            void transport().play(Math.max(0, seam.position - Math.round(LEAD * doc.sampleRate)), seam.position + Math.round(LEAD * doc.sampleRate))
          }
        >
          <Play size={13} fill="currentColor" aria-hidden /> Listen
        </Button>
        <Button aria-label="Previous seam" onClick={() => stepSeam(-1)}>
          ‹
        </Button>
        <Button aria-label="Next seam" onClick={() => stepSeam(1)}>
          ›
        </Button>
      </div>
    </div>
  );
}

const Figure = ({ name, value }: { name: string; value: string }) => (
  <div>
    <dt className="font-sans text-ink-3 text-xs">{name}</dt>
    <dd className="font-semibold text-base">{value}</dd>
  </div>
);

/** Measures the seam once its samples are in the page, and again after each edit. */
function useMeasure(doc: Document, seam: Seam | undefined): { measure: SeamMeasure | null; alike: number | null } {
  const [result, setResult] = useState<{ measure: SeamMeasure | null; alike: number | null }>({ measure: null, alike: null });
  useEffect(() => {
    if (!seam) return setResult({ measure: null, alike: null });
    let stale = false;
    void (async () => {
      await Promise.all(seamSpans(seam, doc.sampleRate).map((s) => haveSamples(s.sourceId, s.from, s.to)));
      if (stale) return;
      const channels = (sourceId: string): number => doc.sources.get(sourceId)?.channels ?? 1;
      const { left, right } = seam;
      const r = right?.blend && left ? (likeness(left, channels(left.sourceId), right, channels(right.sourceId), pageReader) ?? null) : null;
      setResult({ measure: measureSeam(doc, seam, pageReader, quietEdges(doc, pageReader)), alike: r });
    })();
    return () => {
      stale = true;
    };
  }, [doc, seam]);
  return result;
}

function BlendControls({ doc, seam, blend, alike }: { doc: Document; seam: Seam; blend: Blend; alike: number | null }) {
  const right = seam.right as NonNullable<Seam["right"]>;
  const left = seam.left as NonNullable<Seam["left"]>;
  const set = (change: Record<string, unknown>): void => void session().edit([{ type: "set-blend", clipId: right.id, ...change }]);
  const has = materialAt(left, right, seam.position, doc.sources.get(left.sourceId)?.length ?? 0);
  const place = blend.place === "free" ? "centred" : blend.place;
  return (
    <>
      <Label
        side={
          blend.law === "auto" && alike !== null ? (alike > 0.75 ? "near equal gain" : alike < 0.25 ? "near equal power" : "between both") : undefined
        }
      >
        Law
      </Label>
      <Segments
        label="Law"
        value={blend.law}
        onChange={(law) => set({ law })}
        options={[
          ["auto", "Auto"],
          ["gain", "Equal gain"],
          ["power", "Equal power"],
        ]}
      />
      <Label>Place</Label>
      <Segments
        label="Place"
        value={place}
        onChange={(p) => set({ place: p })}
        options={[
          ["before", "Before"],
          ["centred", "Centred"],
          ["after", "After"],
        ]}
      />
      <div className="grid grid-cols-2 gap-x-2.5">
        <div>
          <Label>Length</Label>
          <Field
            label="Length of the blend"
            unit="ms"
            value={((right.fadeIn.length * 1000) / doc.sampleRate).toFixed(1)}
            onCommit={(t) => {
              const length = lengthFrom(t, 1);
              if (length !== null) set({ length });
            }}
          />
        </div>
        <div>
          <Label>Bend</Label>
          <Field
            label="Bend of the blend"
            value={signed(right.fadeIn.bend, 2)}
            onCommit={(t) => {
              const v = numberFrom(t, -1, 1, "bend");
              if (v !== null) set({ bend: v });
            }}
          />
        </div>
      </div>
      <Label side={SHAPE_NAMES[right.fadeIn.shape]}>Shape</Label>
      <Shapes value={right.fadeIn.shape} bend={right.fadeIn.bend} onChange={(shape) => set({ shape })} />
      <p className="mt-2.5 text-ink-3 text-sm">
        Material beyond the splice: <span className="num">{formatLength(Math.max(0, has.after), doc.sampleRate)}</span> on the left,{" "}
        <span className="num">{formatLength(Math.max(0, has.before), doc.sampleRate)}</span> on the right.
      </p>
      <Button className="mt-3 w-full" onClick={() => session().edit([{ type: "remove-blend", clipId: right.id }])}>
        Take the blend off
      </Button>
    </>
  );
}

function OpenControls({ doc, seam }: { doc: Document; seam: Seam }) {
  const { left, right, position } = seam;
  const out = left && left !== right && clipEnd(left) === position ? left : null;
  const into = right && left !== right && right.start === position ? right : null;
  const touching = out !== null && into !== null;
  const edgeFadeMs = useSettings((s) => s.edgeFadeMs);
  if (!out && !into) return <p className="mt-3 text-ink-2">Another clip lies over this edge; it is not heard.</p>;
  const field = (name: string, clipId: string, edge: "in" | "out", samples: number) => (
    <div>
      <Label>{name}</Label>
      <Field
        label={name}
        unit="ms"
        value={((samples * 1000) / doc.sampleRate).toFixed(1)}
        onCommit={(t) => {
          const length = lengthFrom(t);
          if (length !== null) session().edit([{ type: "set-fade", clipIds: [clipId], edge, length }]);
        }}
      />
    </div>
  );
  const length = Math.max(1, Math.round((Math.max(1, edgeFadeMs) * doc.sampleRate) / 1000));
  return (
    <>
      <div className="grid grid-cols-2 gap-x-2.5">
        {out && field("Fade out", out.id, "out", out.fadeOut.length)}
        {into && field("Fade in", into.id, "in", into.fadeIn.length)}
      </div>
      <div className="mt-3 flex gap-2">
        <Button className="flex-1" onClick={() => smoothSeam(seam.id)}>
          Smooth
        </Button>
        {touching && into && !blendAfter(doc, out) && (
          <Button
            className="flex-1"
            onClick={() =>
              session().edit([
                { type: "set-blend", clipId: into.id, with: out.id, length, place: "centred", law: "auto", shape: settings().edgeFadeShape },
              ])
            }
          >
            Blend {Math.max(1, edgeFadeMs)} ms
          </Button>
        )}
      </div>
    </>
  );
}

const HIGH = 150;

/** Going out, coming in, and what is heard, one above the other, as wide as the fades want. */
function Drawing({ doc, seam }: { doc: Document; seam: Seam }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useSettings((s) => s.theme);
  useEffect(() => {
    let stale = false;
    void (async () => {
      await Promise.all(seamSpans(seam, doc.sampleRate).map((s) => haveSamples(s.sourceId, s.from, s.to)));
      const c = canvas.current;
      if (stale || !c) return;
      const scale = window.devicePixelRatio || 1;
      const wide = c.clientWidth;
      c.width = wide * scale;
      c.height = HIGH * scale;
      const g = c.getContext("2d") as CanvasRenderingContext2D;
      g.scale(scale, scale);
      const palette = PALETTES[theme];
      const { left, right, position } = seam;
      const spread = Math.max(
        right?.start === position || right?.blend ? right.fadeIn.length : 0,
        left && clipEnd(left) <= position + left.fadeOut.length ? left.fadeOut.length : 0,
      );
      const half = Math.min(Math.round(0.09 * doc.sampleRate), Math.max(Math.round(0.004 * doc.sampleRate), Math.round(spread * 1.4)));
      const from = position - half;
      const n = 2 * half;
      const heard = (keep: string[] | null): Float32Array => {
        const track = doc.tracks.get(seam.trackId);
        const out = [new Float32Array(n), new Float32Array(n)];
        if (!track) return out[0];
        const lane = doc.lanes.get(seam.trackId);
        const only =
          keep && lane
            ? {
                ...doc,
                lanes: new Map([
                  ...doc.lanes,
                  [
                    seam.trackId,
                    lane.with(
                      lane.clips.filter((x) => !keep.includes(x.id)),
                      [],
                    ),
                  ],
                ]),
              }
            : doc;
        const alone = {
          ...only,
          tracks: new Map([[track.id, { ...track, mute: false, solo: false, gain: 0, pan: 0 }]]),
          piece: { ...doc.piece, trackOrder: [track.id] },
        };
        const first = Math.max(0, from);
        new Renderer(alone, pageReader).render(first, n - (first - from), out[0], out[1], first - from);
        return out[0];
      };
      const rows = [
        { name: "going out", wave: heard(left ? [left.id] : []), color: palette.dyes.indigo },
        { name: "coming in", wave: heard(right ? [right.id] : []), color: palette.dyes.cochineal },
        { name: "what you hear", wave: heard(null), color: palette.ink },
      ];
      g.fillStyle = palette.raised;
      g.fillRect(0, 0, wide, HIGH);
      if (right?.blend && left) {
        g.fillStyle = `${palette.dyes.weld}2e`;
        g.fillRect(((right.start - from) / n) * wide, 0, ((clipEnd(left) - right.start) / n) * wide, HIGH);
      }
      const peak = rows.reduce(
        (m, r) =>
          Math.max(
            m,
            r.wave.reduce((a, v) => Math.max(a, Math.abs(v)), 0),
          ),
        0.02,
      );
      rows.forEach(({ name, wave, color }, k) => {
        const high = HIGH / 3;
        const middle = high * (k + 0.5);
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
        g.strokeStyle = color;
        g.lineWidth = 1.2;
        g.beginPath();
        const per = n / wide;
        for (let x = 0; x < wide; x++) {
          const a = Math.floor(x * per);
          const b = Math.max(a + 1, Math.floor((x + 1) * per));
          let [min, max] = [1, -1];
          for (let i = a; i < b && i < n; i++) {
            min = Math.min(min, wave[i]);
            max = Math.max(max, wave[i]);
          }
          g.lineTo(x, middle - (max / peak) * (high / 2 - 3));
          if (per > 1.5) g.lineTo(x, middle - (min / peak) * (high / 2 - 3));
        }
        g.stroke();
        g.fillStyle = palette.ink3;
        g.font = "11px 'Instrument Sans Variable', sans-serif";
        g.fillText(name, 6, high * (k + 1) - 5);
      });
      g.strokeStyle = palette.dyes.madder;
      g.lineWidth = 1;
      g.beginPath();
      g.moveTo(wide / 2, 0);
      g.lineTo(wide / 2, HIGH);
      g.stroke();
    })();
    return () => {
      stale = true;
    };
  }, [doc, seam, theme]);
  return (
    <canvas
      ref={canvas}
      className="w-full rounded-md border border-line"
      style={{ height: HIGH }}
      role="img"
      aria-label="The seam: going out, coming in, and what is heard"
    />
  );
}
