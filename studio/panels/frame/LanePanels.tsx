"use client";
import { cutsEvery, equalCuts } from "@wet-thread/core/edit/cutting/even-cuts";
import type { Edit } from "@wet-thread/core/edit/registry";
import { timebaseOf } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { formatPosition, parsePosition } from "@wet-thread/core/time/format";
import { useEffect, useRef, useState } from "react";
import { clipsMeant } from "@/commands/edit/actions";
import { type CutRule, closeBundle, cutsFor, repeat } from "@/commands/edit/clip-actions";
import { chooseFiles } from "@/commands/files/import-files";
import { keyOf } from "@/commands/keys";
import { settings, useSettings } from "@/state/kept/settings";
import { session, useSession } from "@/state/sync/session";
import { selectClips, setView, useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { CLOTH_TOP, laneBoxes } from "@/timeline/model/geometry";
import { linesBetween, viewGrid } from "@/timeline/model/grid-columns";
import { clearPreview, setPreview } from "@/timeline/model/preview";
import { rulersHeight } from "@/timeline/paint/rulers";
import { Button, Field, Key, Segments } from "@/ui/controls";
import { NameField } from "@/ui/NameField";
import { CompareMarks } from "../edit/CompareMarks";
import { ComparePanel } from "../edit/ComparePanel";
import { KitPanel } from "../edit/KitPanel";
import { SettlePanel } from "../edit/SettlePanel";
import { SilencePanel } from "../edit/SilencePanel";
import { TempoPanel } from "../edit/TempoPanel";
import { TightenPanel } from "../edit/TightenPanel";
import { DemoCard } from "../help/DemoCard";
import { lengthFrom, numberFrom } from "../inspector/parts";
import { FloatingForm, Panel } from "./Panel";

/** What floats over the lanes: the field of a drop that waits, the panels for splitting and repeating, the open bundle's chip. */
export function LanePanels() {
  const placing = useView((v) => v.placing);
  const panel = useView((v) => v.panel);
  const open = useView((v) => v.openBundle);
  const magnify = useView((v) => v.magnify);
  return (
    <>
      {open && <OpenBundle id={open} />}
      {magnify > 1 && (
        <button
          type="button"
          title="Only the drawing is taller; what is heard is the same. Click for their own height."
          className="num absolute right-2 bottom-2 z-10 rounded-full border border-line bg-raised px-2.5 py-0.5 text-ink-2 text-sm"
          onClick={() => setView({ magnify: 1 })}
        >
          waveforms × {magnify.toFixed(magnify < 10 ? 1 : 0)}
        </button>
      )}
      <ClipName />
      <FirstSteps />
      <DemoCard />
      <DrawKinds />
      {placing && <PlaceField key={`${placing.x} ${placing.y}`} />}
      {panel === "split" && <SplitPanel />}
      {panel === "repeat" && <RepeatPanel />}
      {panel === "silence" && <SilencePanel />}
      {panel === "tighten" && <TightenPanel />}
      {panel === "settle" && <SettlePanel />}
      {panel === "kit" && <KitPanel />}
      {panel === "tempo" && <TempoPanel />}
      {panel === "compare" && (
        <>
          <CompareMarks />
          <ComparePanel />
        </>
      )}
    </>
  );
}

/** What the draw tool draws; shown while it is in hand. */
function DrawKinds() {
  const tool = useView((v) => v.tool);
  const kind = useView((v) => v.drawKind);
  if (tool !== "draw") return null;
  return (
    <div className="absolute right-2 bottom-2 z-10 w-[370px] max-w-[calc(100%-16px)] rounded-md bg-raised shadow-float">
      <Segments
        label="What is drawn"
        value={kind}
        onChange={(drawKind) => setView({ drawKind })}
        options={[
          ["gain", "Clip gain"],
          ["pan", "Clip pan"],
          ["pitch", "Clip pitch"],
          ["ride", "Track gain"],
        ]}
      />
    </div>
  );
}

/** What to do first in a project that has nothing in it yet. */
function FirstSteps() {
  const empty = useSession((s) => s.doc.clips.size === 0 && s.sources.size === 0);
  if (!empty) return null;
  const steps: readonly (readonly [string, string, string])[] = [
    ["Bring recordings in", "Drop sound files or folders on the lanes, or choose them.", keyOf("import")],
    ["Look and listen", "The wheel scrolls, with Ctrl it zooms; a click in a ruler says where playing begins.", keyOf("play")],
    ["Cut", "Split at the playhead, drag names to move, edges to trim, corners to fade.", keyOf("split")],
  ];
  return (
    <section
      aria-label="First steps"
      className="absolute top-1/2 left-1/2 z-10 w-[420px] max-w-[calc(100%-24px)] -translate-x-1/2 -translate-y-1/2 rounded-lg border border-line bg-raised p-4 shadow-float"
    >
      <h2 className="font-semibold text-lg">An empty project</h2>
      <ol className="mt-2 space-y-2.5">
        {steps.map(([title, text, key], i) => (
          <li key={title} className="flex items-baseline gap-3">
            <span className="num w-4 shrink-0 text-ink-3">{i + 1}</span>
            <span className="min-w-0 flex-1">
              <b className="font-semibold">{title}.</b> <span className="text-ink-2">{text}</span>
            </span>
            <Key>{key}</Key>
          </li>
        ))}
      </ol>
      <Button look="main" className="mt-3.5 w-full" onClick={chooseFiles}>
        Import recordings
      </Button>
    </section>
  );
}

/** The name of a clip, typed where it stands: after a double click on its name strip, or by the command. */
function ClipName() {
  const naming = useView((v) => v.naming);
  const doc = useSession((s) => s.doc);
  const [start, spp, scrollY] = [useView((v) => v.start), useView((v) => v.samplesPerPixel), useView((v) => v.scrollY)];
  const clip = naming ? doc.clips.get(naming) : undefined;
  const box = clip && laneBoxes(doc).find((b) => b.trackId === clip.trackId);
  if (!clip || !box) return null;
  const [x0, x1] = [(clip.start - start) / spp, (clipEnd(clip) - start) / spp];
  return (
    <NameField
      key={clip.id}
      label="Name of the clip"
      value={clip.name}
      className="absolute z-20 h-[19px] rounded-sm border border-ink-3 bg-raised px-1 font-semibold text-sm outline-none"
      style={{
        left: Math.max(2, x0),
        top: rulersHeight(settings().rulers) + box.top - scrollY + CLOTH_TOP,
        width: Math.max(120, Math.min(260, x1 - Math.max(2, x0))),
      }}
      onDone={(name) => {
        if (name !== null) session().edit([{ type: "set-clip", clipIds: [clip.id], name }]);
        setView({ naming: null });
      }}
    />
  );
}

function OpenBundle({ id }: { id: string }) {
  const bundle = useSession((s) => s.doc.bundles.get(id));
  useEffect(() => {
    // Undone, or taken away elsewhere.
    if (!bundle) setView({ openBundle: null });
  }, [bundle]);
  if (!bundle) return null;
  return (
    <div className="absolute top-2 left-1/2 z-20 flex -translate-x-1/2 items-center gap-2 rounded-full border border-weld bg-raised py-1 pr-1 pl-3.5 shadow-float">
      <span>
        Inside <b>{bundle.name || "the bundle"}</b>
        {bundle.pattern !== null && <span className="text-ink-2"> · its linked copies follow</span>}
      </span>
      <Button onClick={() => closeBundle()}>Close</Button>
    </div>
  );
}

type PlacedPoint = "start" | "end" | "sync";

/** The exact position of a drop: for the start, the end or the sync point of what was dropped. */
function PlaceField() {
  const placing = useView((v) => v.placing);
  const unit = useSettings((s) => s.readOuts[0]);
  const [part, setPart] = useState<PlacedPoint>("start");
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.select(), []);
  const { doc } = session();
  if (!placing) return null;
  const { sync } = placing.from;
  const base = timebaseOf(doc);
  const from = placing.from[part] ?? placing.from.start;
  const close = (): void => {
    clearPreview();
    setView({ placing: null });
  };
  const shown = formatPosition(from + placing.by, unit, base);
  const confirm = (): void => {
    try {
      // What was not typed is exact, whatever the unit it is shown in can tell.
      const text = field.current?.value ?? "";
      const by = text === shown ? placing.by : parsePosition(text, unit, base, from + placing.by) - from;
      close();
      placing.place(by);
    } catch (error) {
      toast.error((error as Error).message);
    }
  };
  const options: (readonly [PlacedPoint, string])[] = [
    ["start", "Start"],
    ["end", "End"],
  ];
  if (sync !== undefined) options.push(["sync", "Sync point"]);
  return (
    <FloatingForm
      label="Exact position"
      onClose={close}
      className="absolute z-20 w-[236px] rounded-lg border border-line bg-raised p-2.5 shadow-float"
      style={{ left: Math.max(4, Math.min(placing.x - 60, view().width - 244)), top: Math.max(4, Math.min(placing.y + 14, view().height - 110)) }}
      onSubmit={(e) => {
        e.preventDefault();
        confirm();
      }}
    >
      <Segments label="What is placed" value={part} onChange={setPart} options={options} />
      <div className="mt-2 flex gap-2">
        <input
          key={part}
          ref={field}
          aria-label="Position"
          defaultValue={shown}
          className="num h-8 min-w-0 flex-1 rounded-md border border-line bg-surface px-2"
        />
        <Button look="main" type="submit">
          Place
        </Button>
      </div>
    </FloatingForm>
  );
}

const RULES: readonly (readonly [CutRule, string])[] = [
  ["grid", "Grid"],
  ["hits", "Hits"],
  ["markers", "Markers"],
  ["parts", "Parts"],
  ["every", "Length"],
];
/** What was chosen last is offered again. */
const last = { rule: "grid" as CutRule, parts: 8, every: 0, pad: 0 };
/** More cuts than this are counted, not drawn. */
const MOST_DRAWN = 1000;

/** Splits at grid lines, hits or markers, or in equal parts, with a pad before each cut; the cuts are shown before they are made. */
function SplitPanel() {
  const doc = useSession((s) => s.doc);
  const set = useSettings();
  const spp = useView((v) => v.samplesPerPixel);
  const selection = useView((v) => v.clipIds);
  const [rule, setRule] = useState(last.rule);
  const [parts, setParts] = useState(last.parts);
  const [every, setEvery] = useState(last.every || Math.round(doc.sampleRate / 4));
  const [padded, setPad] = useState(last.pad);
  // Equal parts come early for nothing.
  const even = rule === "parts" || rule === "every";
  const pad = even ? 0 : padded;
  const clips = clipsMeant();
  const { lines } = viewGrid(doc, set, view().start, spp);
  const gridLines = (from: number, to: number): number[] => linesBetween(lines, from, to);
  const cuts = clips.map((clip) => {
    const all = rule === "parts" ? equalCuts(clip, parts) : rule === "every" ? (cutsEvery(clip, every) ?? []) : cutsFor(rule, clip, gridLines);
    return { clip, at: all.filter((p) => p - pad > clip.start && p - pad < clipEnd(clip)) };
  });
  const count = cuts.reduce((sum, c) => sum + c.at.length, 0);
  const shown = JSON.stringify(cuts.map((c) => [c.clip.trackId, c.at]));
  // biome-ignore lint/correctness/useExhaustiveDependencies: the text stands for the cuts, which are made anew each time
  useEffect(() => {
    setPreview({ cuts: count > MOST_DRAWN ? [] : cuts.flatMap((c) => c.at.map((p) => ({ trackId: c.clip.trackId, position: p - pad }))) });
  }, [shown, pad, selection]);
  useEffect(() => clearPreview, []);
  const close = (): void => setView({ panel: null });
  const confirm = (): void => {
    Object.assign(last, { rule, parts, every, pad: padded });
    const edits: Edit[] = cuts
      .filter((c) => c.at.length > 0)
      .map(({ clip, at }) => ({
        type: "split",
        clipIds: [clip.id],
        pad,
        // What is moved and snapped is the hit, not the moment before it.
        syncs: rule === "hits",
        ...(rule === "parts" ? { parts } : rule === "every" ? { every } : { at }),
      }));
    if (edits.length === 0) return void toast("There is nothing to cut there.", { id: "split" });
    const name = { grid: "at the grid", hits: "at hits", markers: "at markers", parts: "in equal parts", every: "in equal lengths" }[rule];
    const done = session().edit(edits, `Split ${name}`);
    if (!done) return;
    close();
    // All the pieces are what the next key is for.
    const touched = new Set(done.changes.filter((c) => c.kind === "clip" && c.after !== null).map((c) => c.id));
    selectClips(session().doc, [...new Set([...clips.map((c) => c.id), ...touched])]);
  };
  const ms = (samples: number): string => String(Math.round((samples * 1e5) / doc.sampleRate) / 100);
  return (
    <Panel title="Split" onClose={close} onConfirm={confirm}>
      <Segments label="Where" value={rule} onChange={setRule} options={RULES} />
      <div className="mt-2.5 grid grid-cols-2 gap-2.5">
        {rule === "parts" && (
          <div>
            <span className="mb-1 block text-ink-2 text-sm">Number of parts</span>
            <Field
              label="Number of parts"
              value={String(parts)}
              onCommit={(t) => {
                const n = numberFrom(t, 2, 4096, "number of parts");
                if (n !== null) setParts(Math.round(n));
              }}
            />
          </div>
        )}
        {rule === "every" && (
          <div>
            <span className="mb-1 block text-ink-2 text-sm">Length of a part</span>
            <Field
              label="Length of a part"
              value={ms(every)}
              unit="ms"
              onCommit={(t) => {
                const samples = lengthFrom(t, 1, every);
                if (samples !== null) setEvery(samples);
              }}
            />
          </div>
        )}
        <div hidden={even}>
          <span className="mb-1 block text-ink-2 text-sm">Cut earlier by</span>
          <Field
            label="Pad before each cut"
            value={ms(pad)}
            unit="ms"
            onCommit={(t) => {
              const samples = lengthFrom(t, 0, padded);
              if (samples !== null) setPad(samples);
            }}
          />
        </div>
      </div>
      <div className="mt-3 flex items-center justify-between gap-2">
        <span className="num text-ink-2 text-sm" data-testid="cut-count">
          {clips.length === 0 ? "Select clips first" : count === 1 ? "1 cut" : `${count} cuts`}
        </span>
        <Button look="main" type="submit" disabled={count === 0}>
          Split
        </Button>
      </div>
    </Panel>
  );
}

/** Repeats what is selected a number of times, or up to the playhead. */
function RepeatPanel() {
  const [how, setHow] = useState<"times" | "fill">("times");
  const [times, setTimes] = useState(4);
  const playhead = useView((v) => v.playhead);
  const unit = useSettings((s) => s.readOuts[0]);
  const doc = useSession((s) => s.doc);
  const close = (): void => setView({ panel: null });
  const confirm = (): void => {
    close();
    if (how === "times") repeat(times);
    else repeat(1, { until: Math.round(playhead) });
  };
  return (
    <Panel title="Repeat" onClose={close} onConfirm={confirm}>
      <Segments
        label="How far"
        value={how}
        onChange={setHow}
        options={[
          ["times", "A number of times"],
          ["fill", "Up to the playhead"],
        ]}
      />
      <div className="mt-2.5 flex items-end justify-between gap-2.5">
        {how === "times" ? (
          <div className="w-32">
            <span className="mb-1 block text-ink-2 text-sm">Copies</span>
            <Field
              label="Copies"
              value={String(times)}
              onCommit={(t) => {
                const n = numberFrom(t, 1, 10_000, "number of copies");
                if (n !== null) setTimes(Math.round(n));
              }}
            />
          </div>
        ) : (
          <span className="num text-ink-2 text-sm">
            until {formatPosition(Math.round(playhead), unit, timebaseOf(doc))}; the last copy is cut there
          </span>
        )}
        <Button look="main" type="submit">
          Repeat
        </Button>
      </div>
    </Panel>
  );
}
