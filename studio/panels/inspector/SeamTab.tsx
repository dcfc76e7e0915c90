"use client";
import { isLent } from "@wet-thread/core/dsp/fades";
import { EditError } from "@wet-thread/core/edit/errors";
import { materialAt } from "@wet-thread/core/edit/laying/crossfade";
import { applyEdits, type Edit } from "@wet-thread/core/edit/registry";
import { blendAfter, type Document, timebaseOf } from "@wet-thread/core/model/document";
import { playedSource } from "@wet-thread/core/model/recipe/played-recording";
import { type Blend, type Clip, clipEnd, playedChannels } from "@wet-thread/core/model/schema";
import { likeness } from "@wet-thread/core/render/likeness";
import { measureSeam, quietEdges, type SeamMeasure, seamSpans } from "@wet-thread/core/seam/measure";
import type { Seam } from "@wet-thread/core/seam/seams";
import { formatBars, formatChange, formatLength } from "@wet-thread/core/time/format";
import { Play, Repeat2, Square } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { smoothSeam, stepSeam } from "@/commands/edit/actions";
import { foretellSettling, settleChosen, settlingWords } from "@/commands/edit/settle";
import { keyOf } from "@/commands/keys";
import { transport } from "@/engine/transport";
import type { Settling } from "@/seams/settling";
import { type Settings, setSettings, settings, useSettings } from "@/state/kept/settings";
import { haveSamples, pageReader } from "@/state/media/media";
import { session, useSession } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { findSeam, laneSeams, seamClass } from "@/timeline/model/seam-classes";
import { useShownDoc } from "@/timeline/model/shown";
import { Button, Field, Segments } from "@/ui/controls";
import { SHAPE_NAMES, Shapes } from "../edit/FadeShapes";
import { Empty, Label, lengthFrom, numberFrom, signed } from "./parts";
import { SeamDrawing } from "./SeamDrawing";

const BADGES: Readonly<Record<string, string>> = {
  raw: "bg-madder/15 text-madder",
  smooth: "bg-fern/15 text-fern",
  blended: "bg-cochineal/15 text-cochineal",
  unbroken: "bg-weft text-ink-2",
};

export function SeamTab() {
  const doc = useShownDoc();
  const id = useView((v) => v.seamId);
  const seam = findSeam(doc, id);
  const { measure, alike } = useMeasure(doc, seam);
  // What it would be without its blend and fades, where it has any.
  const without = useMemo(() => (seam ? bare(doc, seam) : doc), [doc, seam]);
  const bareSeam = seam && without !== doc ? seamAt(without, seam) : undefined;
  const { measure: bareMeasure } = useMeasure(without, bareSeam);
  const bareClick = bareSeam ? bareMeasure : undefined;
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
      <SeamDrawing doc={doc} seam={seam} />
      <dl className="num mt-3 grid grid-cols-[84px_1fr_48px] gap-2 text-sm">
        <Figure name="Level through" value={measure?.dip == null ? "–" : `${signed(measure.dip, 1)} dB`} />
        <Figure
          name={bareClick === undefined ? "Click" : "Click, bare → now"}
          value={bareClick === undefined ? clickWords(measure) : `${clickWords(bareClick)} → ${clickWords(measure)}`}
        />
        <Figure name="Alike" value={alike === null ? "–" : alike.toFixed(2).replace("-", "−")} />
      </dl>
      {left && right && left !== right && <SettlePart id={seam.id} />}
      <Lent seam={seam} />
      {right?.blend && left ? <BlendControls doc={doc} seam={seam} blend={right.blend} alike={alike} /> : <OpenControls doc={doc} seam={seam} />}
      <Listening doc={doc} seam={seam} raw={without} />
    </div>
  );
}

const FORETELL_AFTER_MS = 150;

/** The splice to where both sides are most alike, and what that would make of it: how far it may go, and whether the later clip's audio may be shifted for it. */
function SettlePart({ id }: { id: string }) {
  // What a drag shows is not looked at before it is done.
  const doc = useSession((s) => s.doc);
  const seam = findSeam(doc, id);
  const how = useSettings((s) => s.settle);
  const blend = useSettings((s) => s.lastBlend);
  const [foretold, setForetold] = useState<Settling | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: how far and how long it goes by is in the settings
  useEffect(() => {
    const off = new AbortController();
    setForetold(null);
    const look = async (): Promise<void> => {
      const found = seam && (await foretellSettling([seam], () => {}, off.signal));
      if (found && !off.signal.aborted) setForetold(found.seams[0].settling);
    };
    // Whoever steps from seam to seam does not wait for each.
    const timer = setTimeout(() => void look(), FORETELL_AFTER_MS);
    return () => {
      off.abort();
      clearTimeout(timer);
    };
  }, [doc, id, how, blend]);
  const words = (settling: Settling): string => {
    if ("why" in settling) return `would stay: ${settling.why}`;
    const { by, shift } = settling;
    const { alike, click, level } = settlingWords(settling);
    const moves = [
      by !== 0 && `go by ${formatChange(by, doc.sampleRate)}`,
      shift !== 0 && `shift the audio by ${formatChange(shift, doc.sampleRate)}`,
    ];
    return `would ${moves.filter(Boolean).join(", ") || "be blended where it is"}: alike ${alike}, click ${click}, level ${level}`;
  };
  return (
    <div className="mt-3">
      <SettleRow how={how} />
      <p className="num mt-1 text-ink-2 text-sm" data-testid="settle-foretold">
        {foretold ? words(foretold) : "looking …"}
      </p>
    </div>
  );
}

function SettleRow({ how }: { how: Settings["settle"] }) {
  return (
    <div className="flex items-center gap-2 text-sm">
      <Button
        className="!h-7"
        title={`The splice goes to where both sides are most alike (${keyOf("settle")}); never to where it is worse`}
        onClick={settleChosen}
      >
        Settle
      </Button>
      <Field
        label="How far a splice may settle"
        className="!h-7 w-[84px]"
        unit="ms"
        value={String(how.reachMs)}
        onCommit={(t) => {
          const v = numberFrom(t, 1, 200, "length");
          if (v !== null) setSettings({ settle: { ...how, reachMs: v } });
          return v !== null;
        }}
      />
      <label className="flex items-center gap-1.5 text-ink-2">
        <input type="checkbox" checked={how.shifts} onChange={(e) => setSettings({ settle: { ...how, shifts: e.target.checked } })} />
        shift audio
      </label>
    </div>
  );
}

/** The seam by ear: once or round and round, as it is or as it was without blend and fades; on to the next one at the same zoom. */
function Listening({ doc, seam, raw }: { doc: Document; seam: Seam; raw: Document }) {
  const playing = useView((v) => v.playing);
  const [round, setRound] = useState(false);
  const [before, setBefore] = useState(false);
  const leadMs = useSettings((s) => s.seamLeadMs);
  const lead = Math.round((leadMs * doc.sampleRate) / 1000);
  const span = { start: Math.max(0, seam.position - lead), end: seam.position + lead };
  const listen = (asBefore: boolean): void => {
    transport().hear(asBefore ? raw : null);
    void transport().audition(span.start, span.end, round);
  };
  // Every change is heard at once: the engine takes it up on the next round, the bare state follows the piece.
  useEffect(() => {
    if (before && playing) transport().hear(raw);
  }, [raw, before, playing]);
  return (
    <div className="mt-4 border-line border-t pt-3">
      <div className="mb-2 flex gap-2">
        <div className="flex-1">
          <Segments
            label="Heard"
            value={before ? "before" : "after"}
            onChange={(v) => {
              setBefore(v === "before");
              if (playing) transport().hear(v === "before" ? raw : null);
            }}
            options={[
              ["before", "Bare"],
              ["after", "As it is"],
            ]}
          />
        </div>
        <Button
          aria-pressed={round}
          className="h-7 aria-pressed:bg-weft"
          title="Round and round, with lead-in and lead-out"
          onClick={() => setRound(!round)}
        >
          <Repeat2 size={14} aria-hidden /> Round
        </Button>
        <Field
          label="Heard on both sides of the seam"
          className="!h-7 w-[86px]"
          unit="ms"
          value={String(leadMs)}
          onCommit={(t) => {
            const v = numberFrom(t, 20, 20_000, "length");
            if (v !== null) setSettings({ seamLeadMs: Math.round(v) });
          }}
        />
      </div>
      <div className="flex gap-2">
        <Button className="flex-1" onClick={() => (playing ? transport().stop(true) : listen(before))}>
          {playing ? <Square size={12} fill="currentColor" aria-hidden /> : <Play size={13} fill="currentColor" aria-hidden />}{" "}
          {playing ? "Stop" : "Listen"}
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

/** The piece with a seam's blend and fades off. */
function bare(doc: Document, seam: Seam): Document {
  const { left, right, position } = seam;
  const edits: Edit[] = [];
  if (right?.blend) edits.push({ type: "remove-blend", clipId: right.id, links: false });
  else {
    if (left && left !== right && clipEnd(left) === position)
      edits.push({ type: "set-fade", clipIds: [left.id], edge: "out", length: 0, links: false });
    if (right && left !== right && right.start === position)
      edits.push({ type: "set-fade", clipIds: [right.id], edge: "in", length: 0, links: false });
  }
  try {
    return edits.length ? applyEdits(doc, edits).doc : doc;
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
    return doc;
  }
}

const clickWords = (m: SeamMeasure | null): string => (!m ? "…" : m.click === null ? "none" : `${signed(m.click, 0)} dB`);

/** The seam that lies at the same place in another state of the piece. */
const seamAt = (doc: Document, seam: Seam): Seam | undefined => laneSeams(doc, seam.trackId).find((s) => s.position === seam.position);

const Figure = ({ name, value }: { name: string; value: string }) => (
  <div>
    <dt className="font-sans text-ink-3 text-xs">{name}</dt>
    <dd className="whitespace-nowrap font-semibold text-[13px]">{value}</dd>
  </div>
);

const AGAIN_MS = 3000;

/** Measures the seam once its samples are in the page, and again after each edit. */
function useMeasure(doc: Document, seam: Seam | undefined): { measure: SeamMeasure | null; alike: number | null } {
  const [result, setResult] = useState<{ measure: SeamMeasure | null; alike: number | null }>({ measure: null, alike: null });
  const [tries, setTries] = useState(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another try is a reason to look again
  useEffect(() => {
    if (!seam) return setResult({ measure: null, alike: null });
    let stale = false;
    let again: ReturnType<typeof setTimeout> | undefined;
    void (async () => {
      const here = await Promise.all(seamSpans(doc, seam).map((s) => haveSamples(s.sourceId, s.from, s.to)));
      if (stale) return;
      // What is not known is not shown as a figure; it is asked for again.
      if (!here.every(Boolean)) {
        setResult({ measure: null, alike: null });
        again = setTimeout(() => setTries((n) => n + 1), AGAIN_MS);
        return;
      }
      const channels = (c: Clip): readonly number[] => playedChannels(c, doc.sources.get(c.sourceId)?.channels ?? 1);
      const { left, right } = seam;
      const r = right?.blend && left ? (likeness(left, channels(left), right, channels(right), pageReader) ?? null) : null;
      setResult({ measure: measureSeam(doc, seam, pageReader, quietEdges(doc, pageReader)), alike: r });
    })();
    return () => {
      stale = true;
      clearTimeout(again);
    };
  }, [doc, seam, tries]);
  return result;
}

function BlendControls({ doc, seam, blend, alike }: { doc: Document; seam: Seam; blend: Blend; alike: number | null }) {
  const right = seam.right as NonNullable<Seam["right"]>;
  const left = seam.left as NonNullable<Seam["left"]>;
  const [asked, setAsked] = useState<number | null>(null);
  const set = (change: { length?: number; law?: Blend["law"]; place?: "before" | "centred" | "after"; [more: string]: unknown }): void => {
    if (!session().edit([{ type: "set-blend", clipId: right.id, ...change }])) return;
    const { length, law, place } = change;
    // The next blend begins as this one was left.
    setSettings({
      lastBlend: {
        ...settings().lastBlend,
        ...(law && { law }),
        ...(place && { place }),
        ...(length && { ms: Math.round((length * 1e5) / doc.sampleRate) / 100 }),
      },
    });
    if (length) setAsked(length);
  };
  const has = materialAt(left, right, seam.position, playedSource(doc.sources, left)?.length ?? 0);
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
              const length = lengthFrom(t, 1, right.fadeIn.length);
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
      <Label>Halves</Label>
      <Segments
        label="Halves"
        value={blend.linked ? "linked" : "separate"}
        onChange={(v) => set({ linked: v === "linked" })}
        options={[
          ["linked", "Linked"],
          ["separate", "Separate"],
        ]}
      />
      <Label side={SHAPE_NAMES[right.fadeIn.shape]}>{blend.linked ? "Shape" : "Coming in"}</Label>
      <Shapes value={right.fadeIn.shape} bend={right.fadeIn.bend} onChange={(shape) => set({ shape })} />
      {!blend.linked && (
        <>
          <Label side={SHAPE_NAMES[left.fadeOut.shape]}>Going out</Label>
          <Shapes
            value={left.fadeOut.shape}
            bend={left.fadeOut.bend}
            onChange={(shape) => session().edit([{ type: "set-fade", clipIds: [left.id], edge: "out", shape }])}
          />
          <p className="mt-1.5 text-ink-3 text-sm">Separate halves: the law is not kept, only shown.</p>
        </>
      )}
      {asked !== null && asked > right.fadeIn.length && (
        <p className="mt-2.5 rounded-sm bg-weld/15 px-2 py-1 text-sm" role="note">
          Only {formatLength(right.fadeIn.length, doc.sampleRate)} of the {formatLength(asked, doc.sampleRate)} asked for: {shortOf(has, left, right)}{" "}
          has no more material beyond its edge.
        </p>
      )}
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

/** Says that a fade or blend is one that the edges got by themselves, and keeps it if asked to. */
function Lent({ seam: { left, right, position } }: { seam: Seam }) {
  const out = left && left !== right && clipEnd(left) === position && isLent(left.fadeOut) ? left : null;
  const into = right && left !== right && right.start === position && !right.blend && isLent(right.fadeIn) ? right : null;
  const blend = right?.blend?.lent ? right : null;
  if (!out && !into && !blend) return null;
  const keep = (): void => {
    const edits: Edit[] = blend
      ? [{ type: "set-blend", clipId: blend.id }]
      : [
          ...(out ? [{ type: "set-fade", clipIds: [out.id], edge: "out", length: out.fadeOut.length }] : []),
          ...(into ? [{ type: "set-fade", clipIds: [into.id], edge: "in", length: into.fadeIn.length }] : []),
        ];
    session().edit(edits, blend ? "Keep the blend" : "Keep the fades");
  };
  return (
    <div className="mt-3 flex items-center justify-between gap-2 text-ink-2 text-sm" data-testid="seam-lent">
      <span>Lent: it goes by itself when the audio runs on here again.</span>
      <Button className="shrink-0" onClick={keep}>
        Keep it
      </Button>
    </div>
  );
}

/** Which of both sides has the least material beyond the splice. */
const shortOf = (has: { before: number; after: number }, left: Clip, right: Clip): string =>
  has.after < has.before ? left.name || "the left clip" : right.name || "the right clip";

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
          const length = lengthFrom(t, 0, samples);
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
