"use client";
import { tempoOfHits, tempoOfTaps } from "@wet-thread/core/analysis/tempo";
import { playedHits } from "@wet-thread/core/model/clip/hits";
import { timebaseOf } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { formatPosition, formatSpan } from "@wet-thread/core/time/format";
import { checkedTempo, type Maps, pinned, pinsOnHits, tempoOfSpan, withBarAt } from "@wet-thread/core/time/tempo-tools";
import { useEffect, useMemo, useRef, useState } from "react";
import { clipsMeant } from "@/commands/edit/actions";
import { keepChosen } from "@/commands/edit/tempo-and-meter";
import { useSettings } from "@/state/kept/settings";
import { session, useSession } from "@/state/sync/session";
import { setView, useView } from "@/state/view/view";
import { clearPreview, setPreview } from "@/timeline/model/preview";
import { Button, Field, Segments } from "@/ui/controls";
import { Panel } from "../frame/Panel";
import { numberFrom } from "../inspector/parts";
import { KeepChoice } from "../rulers/KeepChoice";

type Way = "span" | "sound" | "lines" | "taps";
type Unit = "bars" | "beats";
/** What was last chosen, kept while the page is open. */
const last: { way: Way; count: number; unit: Unit; bar: boolean; lines: Unit; withinMs: number } = {
  way: "span",
  count: 2,
  unit: "bars",
  bar: true,
  lines: "bars",
  withinMs: 60,
};
/** Readings beyond these are far from what anyone would choose. */
const MOST_READINGS = 6;
/** A pause of so many seconds begins the tapping anew. */
const TAP_PAUSE = 2.5;

const bpmText = (bpm: number): string => bpm.toFixed(2);
/** What a way comes to: the tempo that it tells, the map that it makes, and what is to be said of it; or why there is none. */
/** What a set-time edit says of the maps. */
const mapsOf = ({ tempo, meter }: Partial<Maps>): object => ({ ...(tempo && { tempo: [...tempo] }), ...(meter && { meter: [...meter] }) });

type Outcome = (Partial<Maps> & { readonly label: string; readonly says: string }) | { readonly why: string };

const outcome = (make: () => Outcome): Outcome => {
  try {
    return make();
  } catch (error) {
    if (error instanceof RangeError) return { why: error.message };
    throw error;
  }
};

/** The tempo from what is heard: from a span that is so long, from the sound's hits, from bar lines laid on hits, or tapped. */
export function TempoPanel() {
  const doc = useSession((s) => s.doc);
  const range = useView((v) => v.range);
  const selection = useView((v) => v.clipIds);
  const unit = useSettings((s) => s.readOuts[0]);
  const [choice, setChoice] = useState(last);
  const [reading, setReading] = useState(0);
  const [taps, setTaps] = useState<readonly number[]>([]);
  const choose = (to: Partial<typeof last>): void => {
    Object.assign(last, to);
    setChoice({ ...last });
  };
  const { way, count, bar } = choice;
  // Followed only where it counts: it moves with every frame that plays.
  const playhead = useView((v) => (way === "taps" ? Math.round(v.playhead) : 0));
  const base = timebaseOf(doc);
  const events = doc.piece.tempo;
  const rate = doc.sampleRate;
  const place = (sample: number): string => formatPosition(sample, unit, base);

  // biome-ignore lint/correctness/useExhaustiveDependencies: the selection stands for the clips that are meant
  const meant = useMemo(() => {
    const clips = clipsMeant();
    const start = range?.start ?? Math.min(...clips.map((c) => c.start));
    const end = range?.end ?? Math.max(...clips.map(clipEnd));
    const struck = new Map<number, number>();
    for (const clip of clips) {
      const { hits, first, end: last, shift } = playedHits(doc.sources, clip, start, end);
      for (const hit of hits.slice(first, last)) struck.set(hit.at + shift, Math.max(hit.strength, struck.get(hit.at + shift) ?? 0));
    }
    const hits = [...struck.keys()].sort((a, b) => a - b);
    return { clips, start, end, hits, strengths: hits.map((h) => struck.get(h) as number), any: range !== null || clips.length > 0 };
  }, [doc, selection, range]);
  const found = useMemo(() => (way === "sound" ? tempoOfHits(meant.hits, rate, meant.strengths) : null), [way, meant, rate]);
  const readings = found?.readings.slice(0, MOST_READINGS) ?? [];
  // biome-ignore lint/correctness/useExhaustiveDependencies: other hits, other readings
  useEffect(() => setReading(0), [meant]);

  /** The map with a tempo from a place on: where a bar begins there, or the event in force there changed. */
  const from = (sample: number, bpm: number): Partial<Maps> => {
    if (bar) return withBarAt(base, sample, bpm);
    const inForce = events.findLast((e) => base.tempo.tickToSample(e.tick) <= sample) ?? events[0];
    return { tempo: events.map((e) => (e === inForce ? { tick: e.tick, bpm: checkedTempo(bpm) } : e)) };
  };
  const { pins, lines } = useMemo(() => {
    if (way !== "lines" || !meant.any) return { pins: [], lines: 0 };
    const { meter, tempo } = base;
    const [index, tickOf] =
      choice.lines === "bars"
        ? ([(t: number) => meter.barIndexAt(t), (i: number) => meter.barIndexToTick(i)] as const)
        : ([(t: number) => meter.beatIndexAt(t), (i: number) => meter.beatIndexToTick(i)] as const);
    const slack = Math.round((choice.withinMs * rate) / 1000);
    const ticks: number[] = [];
    for (let i = index(Math.max(0, tempo.sampleToTick(Math.max(0, meant.start - slack)))); ; i++) {
      const tick = tickOf(i);
      if (tempo.tickToSample(tick) > meant.end + slack) break;
      ticks.push(tick);
    }
    // Lines outside what is meant are not meant to have a hit.
    const lines = ticks.filter((t) => tempo.tickToSample(t) >= meant.start && tempo.tickToSample(t) < meant.end).length;
    return { pins: pinsOnHits(base, ticks, meant.hits, slack), lines };
  }, [way, meant, base, choice, rate]);
  useEffect(() => {
    const tracks = [...new Set(meant.clips.map((c) => c.trackId))];
    setPreview({ cuts: tracks.flatMap((trackId) => pins.map((p) => ({ trackId, position: p.sample }))) });
  }, [pins, meant]);
  useEffect(() => clearPreview, []);

  const tapped = tempoOfTaps(taps);
  const now = outcome(() => {
    if (way === "taps") {
      if (tapped === null) return { why: taps.length === 0 ? "Tap along with the music" : `${3 - taps.length} more` };
      const bpm = Math.round(tapped * 10) / 10;
      return { ...from(playhead, bpm), label: `Set the tempo to ${bpm} (tapped)`, says: `${bpm.toFixed(1)} from ${taps.length} taps` };
    }
    if (!meant.any) return { why: "Select clips, or make a range, first" };
    if (way === "span") {
      const tick = base.tempo.sampleToTick(meant.start);
      const { barTicks, beatTicks } = base.meter.meterAt(tick);
      const bpm = tempoOfSpan(meant.end - meant.start, count * (choice.unit === "bars" ? barTicks : beatTicks), rate);
      const label = `Set the tempo: ${count} ${choice.unit} are ${formatSpan(meant.start, meant.end, "time", base)}`;
      return { ...from(meant.start, bpm), label, says: `${bpmText(bpm)} from ${place(meant.start)}` };
    }
    if (meant.hits.length === 0) return { why: "No hits there" };
    if (way === "sound") {
      const read = readings[reading];
      if (!read) return { why: "Too few hits to hear a tempo in" };
      const beat = Math.max(0, Math.round(read.beat));
      return { ...from(beat, read.bpm), label: `Set the tempo to ${bpmText(read.bpm)}`, says: `a beat at ${place(beat)}` };
    }
    if (pins.length < 2) return { why: "Fewer than two lines have a hit near" };
    return {
      tempo: pinned(events, base, pins),
      label: `Lay ${pins.length} ${choice.lines} on hits`,
      says: `${pins.length} ${choice.lines} on hits${lines > pins.length ? `, ${lines - pins.length} without one near` : ""}`,
    };
  });
  const close = (): void => setView({ panel: null });
  const confirm = (): void => {
    if ("why" in now) return;
    // Lines that are laid on hits are laid on the sound where it is.
    if (session().edit([{ type: "set-time", ...mapsOf(now), keep: way === "lines" ? "time" : keepChosen() }], now.label)) close();
  };
  const field = (label: string, value: number, most: number, commit: (v: number) => void, suffix?: string) => (
    <Field
      label={label}
      value={String(value)}
      unit={suffix}
      className="w-20"
      onCommit={(t) => {
        const v = numberFrom(t, suffix ? 1 : 0.25, most, "number");
        if (v !== null) commit(v);
        return v !== null;
      }}
    />
  );
  const units = (label: string, value: Unit, set: (v: Unit) => void) => (
    <Segments
      label={label}
      value={value}
      onChange={set}
      options={[
        ["bars", "Bars"],
        ["beats", "Beats"],
      ]}
    />
  );
  return (
    <Panel title="Tempo" onClose={close} onConfirm={confirm}>
      <Segments
        label="Where the tempo comes from"
        value={way}
        onChange={(w) => choose({ way: w })}
        options={[
          ["span", "Length"],
          ["sound", "Sound"],
          ["lines", "Lines"],
          ["taps", "Taps"],
        ]}
      />
      <div className="mt-2.5 min-h-[62px]">
        {way === "span" && (
          <div className="flex items-center gap-2">
            <span className="text-ink-2 text-sm">{range || meant.clips.length === 0 ? "The range is" : "What is selected is"}</span>
            {field("How many", count, 10_000, (v) => choose({ count: v }))}
            <div className="flex-1">{units("Of what", choice.unit, (v) => choose({ unit: v }))}</div>
          </div>
        )}
        {way === "sound" && (
          <>
            <div className="flex flex-wrap gap-1.5" role="radiogroup" aria-label="Tempo readings">
              {readings.map((r, i) => (
                // biome-ignore lint/a11y/useSemanticElements: a chip, as the steps of the grid are
                <button
                  key={r.bpm}
                  type="button"
                  role="radio"
                  aria-checked={i === reading}
                  title={`${Math.round(r.covered * 100)} % of its beats have a hit`}
                  className="num h-6 rounded-sm border border-line bg-surface px-1.5 text-sm hover:border-ink-3 aria-checked:border-ink aria-checked:bg-ink aria-checked:font-semibold aria-checked:text-raised"
                  onClick={() => setReading(i)}
                >
                  {bpmText(r.bpm)}
                </button>
              ))}
            </div>
            {found && readings.length > 0 && (
              <p className="mt-1.5 text-ink-2 text-sm">
                {meant.hits.length} hits, pulse even to <span className="num">{Math.round(found.sure * 100)} %</span>
                {found.sure < 0.6 && ": hardly a steady one"}
              </p>
            )}
          </>
        )}
        {way === "lines" && (
          <div className="flex items-center gap-2">
            <div className="w-32">{units("Which lines", choice.lines, (v) => choose({ lines: v }))}</div>
            <span className="text-ink-2 text-sm">onto hits within</span>
            {field("Within", choice.withinMs, 2000, (v) => choose({ withinMs: v }), "ms")}
          </div>
        )}
        {way === "taps" && <TapPad taps={taps} onTap={setTaps} />}
        {way !== "lines" && (
          <label className="mt-2 flex items-center gap-1.5 text-ink-2 text-sm">
            <input type="checkbox" className="accent-[var(--indigo)]" checked={bar} onChange={(e) => choose({ bar: e.target.checked })} />
            {way === "taps" ? "A bar begins at the playhead" : way === "sound" ? "A bar begins at that beat" : "A bar begins where it begins"}
          </label>
        )}
      </div>
      <div className="mt-2">{way === "lines" ? <p className="text-ink-2 text-sm">Clips and marks keep their time.</p> : <KeepChoice />}</div>
      <div className="mt-3 flex items-center justify-between gap-2">
        <span className="num min-w-0 text-ink-2 text-sm" role="status" data-testid="tempo-told">
          {"why" in now ? now.why : now.says}
        </span>
        <Button look="main" type="submit" disabled={"why" in now} className="shrink-0">
          Set the tempo
        </Button>
      </div>
    </Panel>
  );
}

/** A pad to tap a tempo on, by pointer or by any letter or the space bar while it has the focus. */
function TapPad({ taps, onTap }: { taps: readonly number[]; onTap: (taps: readonly number[]) => void }) {
  const pad = useRef<HTMLButtonElement>(null);
  useEffect(() => pad.current?.focus(), []);
  const tap = (milliseconds: number): void => {
    const at = milliseconds / 1000;
    onTap(taps.length > 0 && at - taps[taps.length - 1] > TAP_PAUSE ? [at] : [...taps, at]);
  };
  const tempo = tempoOfTaps(taps);
  return (
    <button
      ref={pad}
      type="button"
      className="flex h-9 w-full items-center justify-between rounded-md border border-line bg-surface px-3 hover:border-ink-3 active:bg-weft"
      onPointerDown={(e) => e.button === 0 && tap(e.timeStamp)}
      onKeyDown={(e) => {
        if (e.repeat || e.ctrlKey || e.altKey || e.metaKey || (e.key !== " " && !/^\p{L}$/u.test(e.key))) return;
        e.preventDefault();
        e.stopPropagation();
        tap(e.timeStamp);
      }}
    >
      <span>Tap here, or any letter key</span>
      <span className="num text-ink-2">{tempo === null ? "–" : tempo.toFixed(1)}</span>
    </button>
  );
}
