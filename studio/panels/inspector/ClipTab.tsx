"use client";
import type { Edit } from "@wet-thread/core/edit/registry";
import { timebaseOf } from "@wet-thread/core/model/document";
import { envelopeOf, LINE_KINDS, runsBackwards } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { formatClock, formatLength, formatPosition, parsePosition } from "@wet-thread/core/time/format";
import { deleteSelected, join, makeIndependent, openBundle, print, release, selectedBundle } from "@/commands/edit/clip-actions";
import { reverse } from "@/commands/listen/sound";
import { setSettings, useSettings } from "@/state/kept/settings";
import { session, useSession } from "@/state/sync/session";
import { modeRules } from "@/state/view/modes";
import { setView, useView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { useShownDoc, useShownRange } from "@/timeline/model/shown";
import { Button, Field, Swatches } from "@/ui/controls";
import { Shapes } from "../edit/FadeShapes";
import { HitsPart } from "./HitsPart";
import { Empty, Label, lengthFrom, numberFrom, signed } from "./parts";
import { RangePart } from "./RangePart";
import { TimePart } from "./TimePart";
import { TreatPart } from "./TreatPart";

/** What several clips have in common, or nothing. */
function common<T>(clips: readonly Clip[], pick: (c: Clip) => T): T | null {
  const first = pick(clips[0]);
  return clips.every((c) => pick(c) === first) ? first : null;
}

/** The bundle that the selection is: its name, its way in and out. */
function BundlePart() {
  useView((v) => v.clipIds);
  useSession((s) => s.doc);
  const bundle = selectedBundle();
  if (!bundle) return null;
  return (
    <section aria-label="Bundle" className="mt-2.5 rounded-md border border-line bg-surface p-2.5">
      <div className="mb-1 flex justify-between text-ink-2 text-sm">
        <span>Bundle</span>
        {bundle.pattern !== null && <span>its copies follow</span>}
      </div>
      <Field
        label="Name of the bundle"
        numeric={false}
        className="font-semibold"
        value={bundle.name}
        onCommit={(name) => session().edit([{ type: "set-bundle", bundleId: bundle.id, name }])}
      />
      <div className="mt-2 flex gap-2">
        <Button className="flex-1 px-1" onClick={() => openBundle(bundle.id)}>
          Open
        </Button>
        <Button className="flex-1 px-1" onClick={release}>
          Release
        </Button>
        {bundle.pattern !== null && (
          <Button className="flex-1 px-1" title="Changes inside its copies are not made in it any more" onClick={makeIndependent}>
            Unlink
          </Button>
        )}
      </div>
    </section>
  );
}

export function ClipTab() {
  const doc = useShownDoc();
  const range = useShownRange();
  const ids = useView((v) => v.clipIds);
  const fade = useView((v) => v.fade);
  const unit = useSettings((s) => s.readOuts[0]);
  const presets = useSettings((s) => s.fadePresets);
  const clips = [...ids].map((id) => doc.clips.get(id)).filter((c) => c !== undefined);
  if (range) return <RangePart doc={doc} range={range} />;
  if (clips.length === 0) {
    return <Empty title="No clip selected">Click a clip to see it here. Drag along a clip to make a range, or its name strip to move it.</Empty>;
  }
  const [clip] = clips;
  const clipIds = clips.map((c) => c.id);
  const base = timebaseOf(doc);
  const edit = (...edits: Omit<Edit, "key">[]) => session().edit(edits as Edit[]);
  /** Moves the clips together so that the start, the end or the sync point of what is selected lies at a typed position. */
  const place = (text: string, edge: "start" | "end" | "sync"): void => {
    const from =
      edge === "start" ? Math.min(...clips.map((c) => c.start)) : edge === "end" ? Math.max(...clips.map(clipEnd)) : clip.start + (clip.sync ?? 0);
    try {
      edit({ type: "move", clipIds, by: parsePosition(text, unit, base, from) - from, ...modeRules() });
    } catch (error) {
      toast.error((error as Error).message);
    }
  };
  /** Sets a sync point at a typed position, where the clip has none. */
  const setSync = (text: string): void => {
    try {
      const at = parsePosition(text, unit, base, clip.start) - clip.start;
      if (at >= 0 && at < clip.length) edit({ type: "set-clip", clipIds, sync: at });
      else toast.error("A sync point lies inside its clip.");
    } catch (error) {
      toast.error((error as Error).message);
    }
  };
  const ms = (samples: number | null): string => (samples === null ? "mixed" : ((samples * 1000) / doc.sampleRate).toFixed(1));
  const source = doc.sources.get(clip.sourceId);
  const gain = common(clips, (c) => c.gain);
  const pan = common(clips, (c) => c.pan);
  return (
    <div>
      <Field
        label="Name"
        numeric={false}
        className="font-semibold"
        value={clips.length === 1 ? clip.name : `${clips.length} clips`}
        onCommit={(name) => edit({ type: "set-clip", clipIds, name })}
      />
      <BundlePart />
      {clips.length === 1 && (
        <p className="mt-1.5 text-ink-3 text-sm">
          from {source?.name ?? "a missing recording"}, at {formatClock(clip.offset, doc.sampleRate)} in it
        </p>
      )}
      <div className="grid grid-cols-2 gap-x-2.5">
        <div>
          <Label>Start</Label>
          <Field label="Start" value={formatPosition(Math.min(...clips.map((c) => c.start)), unit, base)} onCommit={(t) => place(t, "start")} />
        </div>
        <div>
          <Label>End</Label>
          <Field label="End" value={formatPosition(Math.max(...clips.map(clipEnd)), unit, base)} onCommit={(t) => place(t, "end")} />
        </div>
      </div>
      {clips.length === 1 && (
        <div className="mt-2.5 flex items-end gap-2.5">
          <div className="min-w-0 flex-1">
            <div className="mb-1 text-ink-2 text-sm">Sync point</div>
            <Field
              label="Sync point"
              value={clip.sync === null ? "none" : formatPosition(clip.start + clip.sync, unit, base)}
              onCommit={(t) => (clip.sync === null ? setSync(t) : place(t, "sync"))}
            />
          </div>
          <Button
            title="The moment that is placed and snapped in place of the start"
            onClick={() => {
              const at = Math.round(view().playhead) - clip.start;
              if (clip.sync !== null) edit({ type: "set-clip", clipIds, sync: null });
              else if (at >= 0 && at < clip.length) edit({ type: "set-clip", clipIds, sync: at });
              else toast("Put the playhead inside the clip first.");
            }}
          >
            {clip.sync === null ? "At playhead" : "Take off"}
          </Button>
        </div>
      )}
      <p className="num mt-1.5 text-ink-3 text-sm">
        {formatClock(Math.min(...clips.map((c) => c.start)), doc.sampleRate)} ·{" "}
        {formatLength(Math.max(...clips.map(clipEnd)) - Math.min(...clips.map((c) => c.start)), doc.sampleRate)}
      </p>
      <div className="grid grid-cols-2 gap-x-2.5">
        <div>
          <Label>Gain</Label>
          <Field
            label="Gain"
            value={gain === null ? "mixed" : gain <= -144 ? "−∞" : signed(gain, 1)}
            unit="dB"
            onCommit={(t) => {
              const v = numberFrom(t, -144, 48, "gain in dB");
              if (v !== null) edit({ type: "set-gain", clipIds, gain: v });
            }}
          />
        </div>
        <div>
          <Label>Pan</Label>
          <Field
            label="Pan"
            value={pan === null ? "mixed" : String(Math.round(pan * 100))}
            unit="%"
            onCommit={(t) => {
              const v = numberFrom(t, -100, 100, "pan");
              if (v !== null) edit({ type: "set-clip", clipIds, pan: v / 100 });
            }}
          />
        </div>
      </div>
      {(["in", "out"] as const).map((edge) => {
        const pick = (c: Clip) => (edge === "in" ? c.fadeIn : c.fadeOut);
        const shape = common(clips, (c) => pick(c).shape) ?? pick(clip).shape;
        const bend = common(clips, (c) => pick(c).bend);
        return (
          <fieldset
            key={edge}
            data-chosen={fade?.edge === edge || undefined}
            className="mt-4 border-line border-t pt-3 data-[chosen]:-mx-2 data-[chosen]:rounded-md data-[chosen]:border data-[chosen]:border-weld data-[chosen]:bg-weld/10 data-[chosen]:px-2 data-[chosen]:pb-2"
          >
            <legend className="sr-only">Fade {edge}</legend>
            <div className="grid grid-cols-2 gap-x-2.5">
              <div>
                <Label>{fade?.edge === edge ? `Fade ${edge}, chosen` : `Fade ${edge}`}</Label>
                <Field
                  label={`Length of fade ${edge}`}
                  value={ms(common(clips, (c) => pick(c).length))}
                  unit="ms"
                  onCommit={(t) => {
                    const length = lengthFrom(t, 0, pick(clip).length);
                    if (length !== null) edit({ type: "set-fade", clipIds, edge, length });
                  }}
                />
              </div>
              <div>
                <Label>Bend</Label>
                <Field
                  label={`Bend of fade ${edge}`}
                  value={bend === null ? "mixed" : signed(bend, 2)}
                  onCommit={(t) => {
                    const v = numberFrom(t, -1, 1, "bend");
                    if (v !== null && edit({ type: "set-fade", clipIds, edge, bend: v })) setSettings({ lastFade: { shape, bend: v } });
                  }}
                />
              </div>
            </div>
            <div className="mt-2">
              <Shapes
                value={shape}
                bend={bend ?? 0}
                onChange={(s) => {
                  if (edit({ type: "set-fade", clipIds, edge, shape: s })) setSettings({ lastFade: { shape: s, bend: bend ?? 0 } });
                }}
              />
            </div>
            {presets.length > 0 && (
              <div className="mt-2 flex flex-wrap gap-1.5">
                {presets.map((p) => (
                  <button
                    key={p.name}
                    type="button"
                    className="rounded-sm border border-line bg-raised px-1.5 text-ink-2 text-sm hover:border-ink-3"
                    onClick={() => {
                      const length = Math.round((p.ms * doc.sampleRate) / 1000);
                      if (edit({ type: "set-fade", clipIds, edge, length, shape: p.shape, bend: p.bend }))
                        setSettings({ lastFade: { shape: p.shape, bend: p.bend } });
                    }}
                  >
                    {p.name}
                  </button>
                ))}
              </div>
            )}
          </fieldset>
        );
      })}
      <TimePart clips={clips} />
      <HitsPart clips={clips} />
      <TreatPart clips={clips} />
      <div className="mt-4 space-y-1.5 border-line border-t pt-3">
        {LINE_KINDS.map((kind) => {
          const drawn = clips.filter((c) => envelopeOf(c, kind));
          const [first] = drawn;
          return (
            <div key={kind} className="flex items-center gap-1.5 text-sm">
              <span className="min-w-0 flex-1 truncate text-ink-2">
                {{ gain: "Gain", pan: "Pan", pitch: "Pitch" }[kind]} envelope{" "}
                <span className="num">
                  {first ? (drawn.length > 1 ? `on ${drawn.length}` : `${envelopeOf(first, kind)?.length} points`) : "none"}
                </span>
              </span>
              <button
                type="button"
                className="rounded-sm border border-line bg-raised px-1.5 hover:border-ink-3"
                onClick={() => setView({ tool: "draw", drawKind: kind })}
              >
                Draw
              </button>
              <button
                type="button"
                className="rounded-sm border border-line bg-raised px-1.5 hover:border-ink-3 disabled:opacity-45"
                disabled={!first}
                onClick={() => edit({ type: "set-envelope", clipIds: drawn.map((c) => c.id), kind, points: null })}
              >
                Take off
              </button>
            </div>
          );
        })}
        <Button className="w-full" aria-pressed={clips.every((c) => runsBackwards(c.recipe))} onClick={reverse}>
          {clips.every((c) => runsBackwards(c.recipe)) ? "Play forwards again" : "Reverse"}
        </Button>
      </div>
      <div className="mt-4 border-line border-t pt-3">
        <div className="flex items-center justify-between">
          <Swatches value={common(clips, (c) => c.color)} onChange={(color) => edit({ type: "set-clip", clipIds, color })} />
          <button
            type="button"
            aria-pressed={clips.every((c) => c.color === null)}
            title="Goes by the colour of its track again"
            className="rounded-sm border border-line bg-raised px-1.5 text-ink-2 text-sm hover:border-ink-3 aria-pressed:font-semibold aria-pressed:text-ink"
            onClick={() => edit({ type: "set-clip", clipIds, color: null })}
          >
            as track
          </button>
        </div>
        <div className="mt-3 flex gap-2">
          <Button className="flex-1" onClick={() => edit({ type: "mute", clipIds, mute: !clips.every((c) => c.mute) })}>
            {clips.every((c) => c.mute) ? "Unmute" : "Mute"}
          </Button>
          <Button className="flex-1" onClick={() => deleteSelected()}>
            Delete
          </Button>
        </div>
        <div className="mt-2 flex gap-2">
          {clips.length > 1 && (
            <Button className="flex-1" title="One clip again, or one container; nothing is rendered" onClick={join}>
              Join
            </Button>
          )}
          <Button className="flex-1" title="To a new recording, with fades and gain in it" onClick={() => void print()}>
            Print
          </Button>
        </div>
      </div>
    </div>
  );
}
