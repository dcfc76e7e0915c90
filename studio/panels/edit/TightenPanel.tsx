"use client";
import { leadsOf } from "@wet-thread/core/edit/links/links";
import { offsetsOf, type TightenedHit, tightened } from "@wet-thread/core/edit/remaking/tightening";
import { hitsBetween } from "@wet-thread/core/model/clip/hits";
import { timebaseOf } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { describeStep, type GridStep } from "@wet-thread/core/time/grid-step";
import { feelOf } from "@wet-thread/core/time/swing";
import type { ApexOptions } from "apexcharts";
import dynamic from "next/dynamic";
import { useEffect, useMemo, useState } from "react";
import { clipsMeant } from "@/commands/edit/actions";
import { type Feel, setSettings, useSettings } from "@/state/kept/settings";
import { useKept } from "@/state/kept/use-kept";
import { session, useSession } from "@/state/sync/session";
import { selectClips, setView, useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { viewGrid } from "@/timeline/model/grid-columns";
import { clearPreview, setPreview } from "@/timeline/model/preview";
import { PALETTES } from "@/timeline/model/theme";
import { Button, Field, Segments, Slider } from "@/ui/controls";
import { pointsChart } from "../frame/chart-look";
import { Panel } from "../frame/Panel";
import { numberFrom } from "../inspector/parts";

const Chart = dynamic(() => import("react-apexcharts"), { ssr: false });

const sameStep = (a: GridStep, b: GridStep): boolean => JSON.stringify(a) === JSON.stringify(b);
const note = (division: 4 | 8 | 16 | 32, feel: "straight" | "triplet" = "straight"): GridStep => ({ kind: "note", division, feel });
const STEPS: readonly GridStep[] = [{ kind: "beat", count: 1 }, note(4), note(8), note(8, "triplet"), note(16), note(16, "triplet"), note(32)];
/** What hits are drawn to where nobody chose: the grid in force, but sixteenths where that is coarser than anyone plays. */
const playedStep = (grid: GridStep): GridStep => (grid.kind === "bar" || (grid.kind === "beat" && grid.count > 1) ? note(16) : grid);
/** More cuts than this are counted, not drawn; more points of the chart are thinned. */
const MOST_DRAWN = 1500;

/** Those of some clips that don't go along with another through a link. */
function leaders(clips: readonly Clip[], linksOn: boolean): Clip[] {
  if (!linksOn) return [...clips];
  const left: Clip[] = [];
  const along = new Set<string>();
  for (const clip of clips) {
    if (along.has(clip.id)) continue;
    left.push(clip);
    for (const id of leadsOf(session().doc, [clip.id]).keys()) along.add(id);
  }
  return left;
}

/** Hits drawn to the grid: the settings, what each hit would do, and a picture of their offsets before and after. */
export function TightenPanel() {
  const doc = useSession((s) => s.doc);
  const set = useSettings();
  const selection = useView((v) => v.clipIds);
  const range = useView((v) => v.range);
  const { tighten: how } = set;
  const way = how.way ?? "cutting";
  const spp = useView((v) => v.samplesPerPixel);
  const feels = useFeels();
  const feel = feels.kept?.find((f) => f.name === how.feel);
  const awaited = feels.kept === null ? how.feel : null;
  const step = feel?.step ?? how.step ?? playedStep(viewGrid(doc, set, view().start, spp).step);
  const rate = doc.sampleRate;
  const samples = (ms: number): number => Math.round((ms * rate) / 1000);
  const chosen = clipsMeant()
    .map((c) => c.id)
    .join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: the ids stand for the clips, which are found anew each time
  const { clips, plan, hits, wrong } = useMemo(() => {
    const clips = leaders(clipsMeant(), set.linksOn);
    const base = timebaseOf(doc);
    const settings = {
      step,
      swing: how.swing,
      feel: feel?.offsets,
      strength: how.strength,
      reach: samples(how.reachMs),
      leave: samples(how.leaveMs),
    };
    const found = clips.map((c) => {
      const [from, to] = range ? [Math.max(range.start, c.start), Math.min(range.end, clipEnd(c))] : [c.start, clipEnd(c)];
      return hitsBetween(doc.sources, c, from, to);
    });
    const hits = [...new Set(found.flat())].sort((a, b) => a - b);
    // Even lines would be another edit than the one that is meant.
    if (awaited) return { clips, plan: [], hits, wrong: `The feel “${awaited}” is not there yet` };
    try {
      return { clips, plan: found.flatMap((h) => tightened(h, base, settings)), hits, wrong: null };
    } catch (error) {
      // A feel that does not fit the bars.
      if (error instanceof RangeError) return { clips, plan: [], hits, wrong: error.message };
      throw error;
    }
  }, [doc, chosen, JSON.stringify([how, step, feel, awaited]), set.linksOn, range]);
  const moving = plan.filter((h) => h.to !== h.at);
  const lead = samples(how.leadMs);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the plan stands for all that it is made of
  useEffect(() => {
    const marks =
      moving.length > MOST_DRAWN || way === "stretching"
        ? []
        : clips.flatMap((c) =>
            moving.filter((h) => h.at >= c.start && h.at < clipEnd(c)).map((h) => ({ trackId: c.trackId, position: h.at - lead })),
          );
    setPreview({ cuts: marks });
  }, [plan, lead, selection, way]);
  useEffect(() => clearPreview, []);
  const steps = STEPS.some((s) => sameStep(s, step)) ? STEPS : [step, ...STEPS];
  const close = (): void => setView({ panel: null });
  const change = (to: Partial<typeof how>): void => setSettings({ tighten: { ...how, ...to } });
  const confirm = (): void => {
    if (moving.length === 0) return void toast("No hit would move: widen the reach, or leave less alone.", { id: "tighten" });
    const edits = clips.map((c) => ({
      type: "tighten",
      clipIds: [c.id],
      grid: step,
      strength: how.strength,
      swing: how.swing,
      ...(feel && { feel: [...feel.offsets] }),
      reach: Math.max(1, samples(how.reachMs)),
      leave: samples(how.leaveMs),
      lead,
      how: way,
      ...(way === "stretching" && { kind: set.stretchKind }),
      ...(range && { hits: plan.map((h) => h.at).filter((at) => at >= c.start && at < clipEnd(c)) }),
    }));
    const some = edits.filter((_, i) => moving.some((h) => h.at >= clips[i].start && h.at < clipEnd(clips[i])));
    const done = session().edit(
      some,
      `Tighten ${moving.length === 1 ? "1 hit" : `${moving.length} hits`} to ${feel ? `the feel of ${feel.name}` : describeStep(step)}`,
    );
    if (!done) return;
    close();
    const touched = done.changes.filter((c) => c.kind === "clip" && c.after !== null).map((c) => c.id);
    if (!range) selectClips(session().doc, touched);
  };
  const ms = (x: number): string => `${x < 0 ? "−" : ""}${Math.abs((x * 1000) / rate).toFixed(1)}`;
  const [before, after] = [offsetsOf(plan, "before"), offsetsOf(plan, "after")];
  const length = (label: string, key: "reachMs" | "leaveMs" | "leadMs") => (
    <div>
      <span className="mb-1 block text-ink-2 text-sm">{label}</span>
      <Field
        label={label}
        unit="ms"
        value={String(how[key])}
        onCommit={(t) => {
          const v = numberFrom(t, key === "reachMs" ? 0.1 : 0, 2000, "length");
          if (v !== null) change({ [key]: v });
          return v !== null;
        }}
      />
    </div>
  );
  const part = (label: string, key: "strength" | "swing") => (
    <div className="flex items-center gap-3">
      <span className="w-16 text-ink-2 text-sm">{label}</span>
      <Slider
        label={label}
        className="flex-1"
        min={0}
        max={1}
        step={0.05}
        value={how[key]}
        onChange={(v) => change({ [key]: v })}
        onCommit={(v) => change({ [key]: v })}
      />
      <span className="num w-12 text-right text-sm">{Math.round(how[key] * 100)} %</span>
    </div>
  );
  return (
    <Panel title="Tighten" low onClose={close} onConfirm={confirm}>
      <div className="flex flex-wrap gap-1.5">
        {steps.map((s) => {
          const on = sameStep(s, step);
          return (
            <button
              key={describeStep(s)}
              type="button"
              aria-pressed={on}
              className="num h-6 rounded-sm border border-line bg-surface px-1.5 text-sm hover:border-ink-3 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:font-semibold aria-pressed:text-raised"
              onClick={() => change({ step: s, feel: null })}
            >
              {describeStep(s)}
            </button>
          );
        })}
      </div>
      <div className="mt-2">
        {part("Strength", "strength")}
        {!feel && part("Swing", "swing")}
      </div>
      <FeelRow
        feels={feels}
        name={clips[0]?.name ?? ""}
        feel={feel ?? null}
        awaited={awaited}
        step={step}
        take={() => feelOf(hits, timebaseOf(doc), step)}
        onChoose={(name) => change({ feel: name })}
      />
      <div className="mt-1.5 grid grid-cols-3 gap-2">
        {length("Reach", "reachMs")}
        {length("Leave alone", "leaveMs")}
        {way === "cutting" && length("Cut earlier by", "leadMs")}
      </div>
      <div className="mt-2 flex items-center gap-2">
        <Segments
          label="How hits are moved"
          value={way}
          options={[
            ["cutting", "By cutting"],
            ["stretching", "By stretching"],
          ]}
          onChange={(chosen) => change({ way: chosen })}
        />
        {way === "stretching" && <span className="text-ink-2 text-sm">kind {set.stretchKind}</span>}
      </div>
      <Offsets plan={plan} rate={rate} />
      <p className="num mt-1 text-ink-2 text-sm" data-testid="tighten-figures">
        {plan.length === 0
          ? clips.length === 0
            ? "Select clips, or make a range, first"
            : (wrong ?? "No hits there")
          : `offset ${ms(before.mean)} ± ${ms(before.spread)} ms → ${ms(after.mean)} ± ${ms(after.spread)} ms`}
      </p>
      <div className="mt-2 flex items-center justify-between gap-2">
        <span className="num text-ink-2 text-sm" role="status" data-testid="tighten-count">
          {moving.length} of {plan.length} hits move
        </span>
        <Button look="main" type="submit" disabled={moving.length === 0}>
          Tighten
        </Button>
      </div>
    </Panel>
  );
}

/** The feels that the server keeps; those that this browser kept by itself are handed over to it. */
function useFeels(): ReturnType<typeof useKept<Feel>> {
  const feels = useKept<Feel>("feels");
  const own = useSettings((s) => s.feels);
  // biome-ignore lint/correctness/useExhaustiveDependencies: once when the panel opens
  useEffect(() => {
    for (const feel of own)
      void feels.keep(feel).then((well) => well && setSettings({ feels: useSettings.getState().feels.filter((f) => f.name !== feel.name) }));
  }, []);
  return feels;
}

/** The feel that is used, those that were kept, and a way to keep that of the hits that are meant. */
function FeelRow({
  feels,
  name,
  feel,
  awaited,
  step,
  take,
  onChoose,
}: {
  feels: ReturnType<typeof useFeels>;
  /** What a feel that is kept is called at first. */
  name: string;
  feel: Feel | null;
  /** Name of the feel that was chosen, as long as the server has not told it. */
  awaited: string | null;
  step: GridStep;
  take: () => number[];
  onChoose: (name: string | null) => void;
}) {
  const [naming, setNaming] = useState(false);
  const keep = (text: string): void => {
    const called = text.trim().slice(0, 60);
    setNaming(false);
    if (!called) return;
    try {
      const offsets = take();
      const lines = `${offsets.length} lines a bar, in ticks: ${offsets.map((o) => Math.round(o)).join(" ")}`.replaceAll("-", "−");
      void feels.keep({ name: called, step, offsets }, `Kept the feel of ${called}: ${lines}`);
    } catch (error) {
      if (!(error instanceof RangeError)) throw error;
      toast.error(error.message, { id: "feel" });
    }
  };
  return (
    <div className="mt-0.5 flex h-7 items-center gap-2">
      <span className="w-16 shrink-0 text-ink-2 text-sm">Feel</span>
      {naming ? (
        <input
          // biome-ignore lint/a11y/noAutofocus: it was asked for
          autoFocus
          data-own-enter
          aria-label="Name of the feel"
          defaultValue={name}
          className="h-6 min-w-0 flex-1 rounded-sm border border-ink-2 bg-raised px-1.5 text-sm outline-none"
          onFocus={(e) => e.target.select()}
          onBlur={() => setNaming(false)}
          onKeyDown={(e) => {
            if (e.key !== "Enter") return;
            e.preventDefault();
            keep(e.currentTarget.value);
          }}
        />
      ) : (
        <>
          <select
            aria-label="Feel"
            value={feel?.name ?? awaited ?? ""}
            onChange={(e) => onChoose(e.target.value || null)}
            className="h-6 min-w-0 flex-1 rounded-sm border border-line bg-raised px-1 text-sm"
          >
            <option value="">even, as the grid</option>
            {awaited && <option>{awaited}</option>}
            {feels.kept?.map((f) => (
              <option key={f.id} value={f.name}>
                {f.name}, {describeStep(f.step)}
              </option>
            ))}
          </select>
          {feel && (
            <button
              type="button"
              className="text-ink-2 text-sm underline decoration-line underline-offset-2 hover:text-ink"
              onClick={() => {
                void feels.remove(feel).then((gone) => gone && onChoose(null));
              }}
            >
              Forget
            </button>
          )}
          <button
            type="button"
            title="Keeps how these hits lie around the lines of the bar, under a name"
            className="h-6 rounded-sm border border-line bg-surface px-1.5 text-sm hover:border-ink-3"
            onClick={() => setNaming(true)}
          >
            Keep …
          </button>
        </>
      )}
    </div>
  );
}

/** How far each hit lies from its line, before and after, along the time. */
function Offsets({ plan, rate }: { plan: readonly TightenedHit[]; rate: number }) {
  const theme = useSettings((s) => s.theme);
  const palette = PALETTES[theme];
  if (plan.length === 0) return null;
  const every = Math.ceil(plan.length / MOST_DRAWN);
  const shown = plan.filter((_, i) => i % every === 0);
  const points = (which: "at" | "to") => shown.map((h) => ({ x: h.at / rate, y: Math.round(((h[which] - h.line) * 1e4) / rate) / 10 }));
  const look = pointsChart(theme, { labels: { formatter: (v) => `${Number(v).toFixed(1)} s` } });
  const options: ApexOptions = {
    ...look,
    colors: [palette.ink3, palette.dyes.fern],
    markers: { size: [3, 3.5], strokeWidth: 0 },
    grid: { ...look.grid, padding: { top: -18, bottom: -8 } },
    yaxis: { tickAmount: 4, labels: { formatter: (v) => `${Math.round(v)} ms` } },
    tooltip: { x: { formatter: (v) => `${v.toFixed(2)} s` }, y: { formatter: (v) => `${v.toFixed(1)} ms` } },
  };
  return (
    <div className="-mx-1 mt-1.5 h-[132px]" role="img" aria-label={`Chart: offsets of ${plan.length} hits before and after`}>
      <Chart
        type="scatter"
        options={options}
        series={[
          { name: "Before", data: points("at") },
          { name: "After", data: points("to") },
        ]}
        height="100%"
        width="100%"
      />
    </div>
  );
}
