"use client";
import { gapsBetween, type Interval } from "@wet-thread/core/analysis/silence";
import type { Document } from "@wet-thread/core/model/document";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import { useEffect, useState } from "react";
import { clipsMeant } from "@/commands/edit/actions";
import { type Settings, setSettings, useSettings } from "@/state/kept/settings";
import { ask } from "@/state/sync/api";
import { isOpen, session, useSession } from "@/state/sync/session";
import { neighbourRules } from "@/state/view/modes";
import { selectClips, setView, useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { laneBoxes } from "@/timeline/model/geometry";
import { clearPreview, setPreview } from "@/timeline/model/preview";
import { Button, Field, Slider } from "@/ui/controls";
import { Panel } from "../frame/Panel";
import { numberFrom } from "../inspector/parts";
import { ThresholdLines } from "./ThresholdLines";

/** What the server found: the threshold that was used, and for each clip the stretches that hold sound. */
interface Sound {
  readonly threshold: number;
  /** How loud the quietest stretches get, in dB; null for digital silence. */
  readonly room: number | null;
  readonly clips: readonly { readonly clipId: string; readonly keep: readonly Interval[] }[];
}

const [LOWEST, HIGHEST] = [-90, -6];
/** A hand on the slider asks at most this often. */
const REST_MS = 70;
/** A lane that begins above this, in pixels, would lie under a panel at the top. */
const HIGH = 190;
/** The threshold is drawn at this part of the waveforms' height, and below that one they are drawn taller. */
const [LINE_AT, LEAST_LINE] = [0.4, 0.1];
/** The threshold is drawn over so many clips at most. */
const MOST_LINED = 200;
/** More stretches than this are counted, not drawn. */
const MOST_DRAWN = 5000;

/** Asks where the clips hold sound. Throws ServerError. */
async function look(clips: readonly Clip[], threshold: number | null, rule: Settings["silence"], signal?: AbortSignal): Promise<Sound> {
  const own = session();
  // The server looks at the piece as it has it.
  await own.settled();
  const { doc, store } = own;
  const samples = (ms: number): number => Math.round((ms * doc.sampleRate) / 1000);
  const json = {
    clipIds: clips.map((c) => c.id),
    links: useSettings.getState().linksOn,
    ...(threshold === null ? {} : { threshold }),
    shortestSilence: samples(rule.shortest),
    shortestSound: samples(rule.shortestSound),
    padBefore: samples(rule.before),
    padAfter: samples(rule.after),
  };
  return ask<Sound>(`/api/versions/${store.getState().versionId}/sound`, { json, signal });
}

/** What would be taken out of the clips, those that links brought in among them. */
function clearedOf(doc: Document, sound: Sound) {
  return sound.clips.flatMap(({ clipId, keep }) => {
    const clip = doc.clips.get(clipId);
    return clip ? gapsBetween(keep, clip.start, clipEnd(clip)).map(([from, to]) => ({ trackId: clip.trackId, clipId, from, to })) : [];
  });
}

const FIELDS: readonly (readonly [keyof Settings["silence"], string])[] = [
  ["shortest", "Shortest silence"],
  ["shortestSound", "Shortest sound"],
  ["before", "Keep before sound"],
  ["after", "Keep after sound"],
];

/** Takes the pauses out of clips, by level: what would go is washed out over the waveforms while the threshold is moved. */
export function SilencePanel() {
  const doc = useSession((s) => s.doc);
  const rule = useSettings((s) => s.silence);
  const mode = useSettings((s) => s.neighbours);
  const selection = useView((v) => v.clipIds);
  const range = useView((v) => v.range);
  const scrollY = useView((v) => v.scrollY);
  /** null: what the server suggests for these clips. */
  const [threshold, setThreshold] = useState<number | null>(null);
  const [found, setFound] = useState<{ readonly asked: string; readonly sound: Sound } | null>(null);
  const clips = clipsMeant();
  const links = useSettings((s) => s.linksOn);
  const asked = JSON.stringify([clips.map((c) => [c.id, c.start, c.length, c.offset, c.gain]), threshold, rule, links]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the text stands for the clips and the rule, which are made anew each time
  useEffect(() => {
    if (clips.length === 0) return setFound(null);
    const off = new AbortController();
    const lookNow = async (): Promise<void> => {
      try {
        const sound = await look(clips, threshold, rule, off.signal);
        if (!off.signal.aborted) setFound({ asked, sound });
      } catch (error) {
        if (!off.signal.aborted) toast.error((error as Error).message, { id: "silence" });
      }
    };
    const timer = setTimeout(() => void lookNow(), REST_MS);
    return () => {
      clearTimeout(timer);
      off.abort();
    };
  }, [asked]);

  const cleared = found ? clearedOf(doc, found.sound) : [];
  const sum = cleared.reduce((total, c) => total + c.to - c.from, 0);
  const shown = JSON.stringify(cleared);
  // biome-ignore lint/correctness/useExhaustiveDependencies: as above
  useEffect(() => setPreview({ cleared: cleared.length > MOST_DRAWN ? [] : cleared }), [shown, selection, range]);
  useEffect(() => clearPreview, []);

  const close = (): void => setView({ panel: null });
  const confirm = async (): Promise<void> => {
    const own = session();
    let sound = found?.asked === asked ? found.sound : null;
    try {
      // What was typed last is what counts, also where its answer has not come yet.
      sound ??= await look(clips, threshold, rule);
    } catch (error) {
      return void toast.error((error as Error).message, { id: "silence" });
    }
    if (view().panel !== "silence" || !isOpen(own)) return;
    const keep = new Map(sound.clips.map((c) => [c.clipId, c.keep]));
    const clipIds = [...new Set(clearedOf(own.doc, sound).map((c) => c.clipId))];
    if (clipIds.length === 0)
      return void toast("There is no silence to clear there: raise the threshold, or shorten what counts as silence.", { id: "silence" });
    const kept = Object.fromEntries(clipIds.map((id) => [id, keep.get(id)]));
    const done = own.edit([{ type: "clear-silence", clipIds, keep: kept, ...neighbourRules() }]);
    if (!done) return;
    close();
    setView({ range: null });
    const parts = done.changes.filter((c) => c.kind === "clip" && c.after !== null).map((c) => c.id);
    selectClips(own.doc, mode === "hold" || mode === "place" ? parts : []);
  };
  const hidden = [...new Set(cleared.map((c) => doc.tracks.get(c.trackId)))].filter((t) => t?.hidden).map((t) => t?.name);
  const level = threshold ?? found?.sound.threshold ?? null;
  // The waveforms are what is looked at: where the first of them lies high, the panel lies low.
  const first = laneBoxes(doc).find((b) => b.trackId === clips[0]?.trackId);
  useTallWaves(clips, level);
  return (
    <>
      {level !== null && clips.length <= MOST_LINED && (
        <ThresholdLines clips={clips} threshold={level} onChange={(db) => setThreshold(Math.max(LOWEST, Math.min(HIGHEST, db)))} />
      )}
      <Panel title="Clear silence" low={first !== undefined && first.top - scrollY < HIGH} onClose={close} onConfirm={() => void confirm()}>
        <div className="mb-1 flex items-center justify-between">
          <span className="text-ink-2 text-sm">Silence is quieter than</span>
          <button
            type="button"
            className="text-ink-2 text-sm underline decoration-line underline-offset-2 hover:text-ink disabled:text-ink-3 disabled:no-underline"
            disabled={threshold === null}
            title="A little above the room's own level in these clips"
            onClick={() => setThreshold(null)}
          >
            {threshold === null ? "suggested" : "Suggest"}
          </button>
        </div>
        <div className="flex items-center gap-3">
          <Slider
            label="Threshold"
            className="flex-1"
            value={level ?? -50}
            min={LOWEST}
            max={HIGHEST}
            step={1}
            onChange={setThreshold}
            onCommit={setThreshold}
          />
          <Field
            label="Threshold in dB"
            className="w-24"
            unit="dB"
            value={level === null ? "" : String(level).replace("-", "−")}
            onCommit={(t) => {
              const n = numberFrom(t, LOWEST, HIGHEST, "threshold");
              if (n !== null) setThreshold(n);
            }}
          />
        </div>
        <div className="mt-2.5 grid grid-cols-2 gap-2.5">
          {FIELDS.map(([key, label]) => (
            <div key={key}>
              <span className="mb-1 block text-ink-2 text-sm">{label}</span>
              <Field
                label={label}
                unit="ms"
                value={String(rule[key])}
                onCommit={(t) => {
                  const n = numberFrom(t, 0, 600_000, "length");
                  if (n !== null) setSettings({ silence: { ...rule, [key]: n } });
                }}
              />
            </div>
          ))}
        </div>
        {hidden.length > 0 && (
          <p className="mt-2.5 rounded-md bg-weld/20 px-2 py-1 text-sm" role="status">
            Cut along, though hidden: {hidden.join(", ")}.
          </p>
        )}
        <div className="mt-3 flex items-center justify-between gap-2">
          <span className="num text-ink-2 text-sm" data-testid="silence-count" role="status">
            {clips.length === 0
              ? "Select clips first"
              : !found
                ? "Looking …"
                : cleared.length === 0
                  ? found.sound.room === null || found.sound.room < found.sound.threshold
                    ? "No silence that long there"
                    : `No silence: the quietest is at ${String(found.sound.room).replace("-", "−")} dB`
                  : `${cleared.length} ${cleared.length === 1 ? "pause" : "pauses"}, ${formatLength(sum, doc.sampleRate)}`}
          </span>
          <Button look="main" type="submit" disabled={cleared.length === 0}>
            {mode === "ripple" || mode === "reorder" ? "Clear and close" : "Clear silence"}
          </Button>
        </div>
      </Panel>
    </>
  );
}

/** Lends the tracks of some clips waveforms so tall, until the panel is closed, that a threshold lies well within them. */
function useTallWaves(clips: readonly Clip[], threshold: number | null): void {
  const trackIds = JSON.stringify([...new Set(clips.map((c) => c.trackId))]);
  useEffect(() => {
    if (threshold === null) return;
    const ids = new Set(JSON.parse(trackIds) as string[]);
    const lent = view().lentWaves;
    const line = 10 ** (threshold / 20) * (lent?.magnify ?? 0);
    // A hand that drags the line does so within the same height.
    if (lent && line > LEAST_LINE && line < 1 && lent.trackIds.size === ids.size && [...ids].every((id) => lent.trackIds.has(id))) return;
    setView({ lentWaves: { trackIds: ids, magnify: Math.max(1, LINE_AT / 10 ** (threshold / 20)) } });
  }, [threshold, trackIds]);
  useEffect(() => () => setView({ lentWaves: null }), []);
}
