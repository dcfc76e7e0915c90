"use client";
import { kindOf, makingOf, ownWindow } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, STRETCH_KINDS, type StretchKind } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import type { ReactNode } from "react";
import { asRecorded, beatsLong, follow, setKind, toBeats, toLengths, toRange, unfollow, warpAtHits, warpOff } from "@/commands/edit/stretch";
import { keyOf } from "@/commands/keys";
import { useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { beatsOf, kindFor } from "@/timeline/gestures/stretch-gesture";
import { Button, Field, Tip } from "@/ui/controls";
import { Label, lengthFrom, numberFrom, signed } from "./parts";

/** What a kind does to a strike that rings on, before and after. */
const KINDS: Readonly<Record<StretchKind, { readonly name: string; readonly about: string; readonly drawn: ReactNode }>> = {
  smooth: {
    name: "Smooth",
    about: "Keeps pitch, spreads everything evenly: voices, pads",
    drawn: <path d="M2 13 C6 3 10 3 13 13 S20 22 24 13 S34 4 40 13 S50 21 54 13" />,
  },
  hits: {
    name: "Hits",
    about: "Keeps pitch, and every attack as sharp and loud as it was: rhythm",
    drawn: <path d="M2 22 V3 C4 14 8 18 16 21 M22 22 V3 C24 14 28 18 36 21 M42 22 V3 C44 14 48 18 54 21" />,
  },
  tape: {
    name: "Tape",
    about: "Speed and pitch go together, as on tape",
    drawn: <path d="M2 13 C3 2 5 2 6 13 S9 24 10 13 M16 13 C19 2 22 2 25 13 S31 24 34 13 M38 13 C42 2 46 2 50 13 S52 20 54 18" />,
  },
};

const common = <T,>(clips: readonly Clip[], of: (c: Clip) => T): T | null => (clips.every((c) => of(c) === of(clips[0])) ? of(clips[0]) : null);

/** How long and how high the selected clips are of what their recordings have: typed, by kind, to the range, on beats, and as it was. */
export function TimePart({ clips }: { clips: readonly Clip[] }) {
  const last = useSettings((s) => s.stretchKind);
  const { doc } = session();
  const [clip] = clips;
  const made = clips.some((c) => makingOf(c.recipe));
  const kind = made
    ? (common(
        clips.filter((c) => makingOf(c.recipe)),
        (c) => kindOf(c.recipe),
      ) ?? null)
    : last;
  const own = (c: Clip): number => {
    const source = doc.sources.get(c.sourceId);
    const window = source ? ownWindow(source, c) : { from: 0, to: c.length };
    return Math.max(1, window.to - window.from);
  };
  const factor = common(clips, (c) => ((100 * c.length) / own(c)).toFixed(1));
  const length = common(clips, (c) => c.length);
  const beats = common(clips, (c) => beatsOf(doc, c).toFixed(2));
  const cents = common(clips, (c) => c.recipe?.pitch ?? 0);
  const following = clips.filter((c) => c.conform).length;
  const tempo = common(clips, (c) => c.conform?.bpm);
  const warped = clips.filter((c) => c.recipe?.warp);
  const pitch = (now: number): void => {
    session().edit(clips.map((c) => ({ type: "set-pitch", clipIds: [c.id], cents: now, kind: kindFor(c) })));
  };
  const semitones = Math.trunc((cents ?? 0) / 100);
  return (
    <fieldset className="mt-4 border-line border-t pt-3">
      <legend className="sr-only">Time and pitch</legend>
      <div className="mb-1 text-ink-2 text-sm">Stretch</div>
      <div className="grid grid-cols-3 gap-1">
        {STRETCH_KINDS.map((k) => (
          <Tip key={k} text={KINDS[k].about} side="top">
            <button
              type="button"
              aria-pressed={kind === k}
              onClick={() => setKind(clips, k)}
              className="flex flex-col items-center rounded-sm border border-line bg-raised pt-1 pb-0.5 text-ink-2 text-sm hover:border-ink-3 aria-pressed:border-ink-2 aria-pressed:bg-weld/20 aria-pressed:font-semibold aria-pressed:text-ink"
            >
              <svg viewBox="0 0 56 26" width="56" height="26" fill="none" stroke="currentColor" strokeWidth="1.5" aria-hidden="true">
                {KINDS[k].drawn}
              </svg>
              {KINDS[k].name}
            </button>
          </Tip>
        ))}
      </div>
      <div className="grid grid-cols-3 gap-x-2">
        <div>
          <Label>Length</Label>
          <Field
            label="Length stretched to"
            value={length === null ? "mixed" : formatLength(length, doc.sampleRate)}
            onCommit={(t) => {
              const v = lengthFrom(t, 1, clip.length);
              if (v !== null) toLengths(clips, () => v);
            }}
          />
        </div>
        <div>
          <Label>Of it</Label>
          <Field
            label="Length in % of the recording"
            value={factor ?? "mixed"}
            unit="%"
            onCommit={(t) => {
              const v = numberFrom(t, 12.5, 800, "part of the recording in %");
              if (v !== null) toLengths(clips, (c) => (own(c) * v) / 100);
            }}
          />
        </div>
        <div>
          <Label>Beats</Label>
          <Field
            label="Length in beats"
            value={beats ?? "mixed"}
            onCommit={(t) => {
              const v = numberFrom(t, 0.01, 100_000, "number of beats");
              if (v !== null) toLengths(clips, (c) => beatsLong(c, v));
            }}
          />
        </div>
      </div>
      <div className="grid grid-cols-2 gap-x-2.5">
        <div>
          <Label>Semitones</Label>
          <Field
            label="Pitch in semitones"
            value={cents === null ? "mixed" : signed(semitones, 0)}
            onCommit={(t) => {
              const v = numberFrom(t, -24, 24, "shift in semitones");
              if (v !== null)
                pitch(Math.max(-2400, Math.min(2400, Math.round(v * 100) + (Number.isInteger(v) ? (cents ?? 0) - semitones * 100 : 0))));
            }}
          />
        </div>
        <div>
          <Label>Cents</Label>
          <Field
            label="Pitch in cents"
            value={cents === null ? "mixed" : signed(cents - semitones * 100, 0)}
            onCommit={(t) => {
              const v = numberFrom(t, -2400, 2400, "shift in cents");
              if (v !== null) pitch(Math.max(-2400, Math.min(2400, semitones * 100 + Math.round(v))));
            }}
          />
        </div>
      </div>
      <div className="grid grid-cols-2 items-end gap-x-2.5">
        <div>
          <Label>Own tempo</Label>
          <Field
            label="Own tempo of the recording"
            value={following === 0 ? "" : tempo === null ? "mixed" : tempo === undefined ? "beats" : String(Math.round(tempo * 1000) / 1000)}
            unit="BPM"
            onCommit={(t) => {
              const v = numberFrom(t, 10, 1000, "tempo in quarter notes a minute");
              if (v !== null) follow(clips, v);
            }}
          />
        </div>
        <Button
          title={
            following > 0
              ? "They stay as they are, and follow the tempo no longer"
              : "Every beat of its own falls on one of the piece, and does so when the tempo changes; without a tempo typed, the one that is heard in it"
          }
          onClick={() => (following > 0 ? unfollow(clips) : follow(clips))}
        >
          {following > 0 ? "Stop following" : "Follow the tempo"}
        </Button>
      </div>
      <div className="mt-2 grid grid-cols-2 gap-1.5">
        <Button title={`Fills the range (${keyOf("stretch-range")})`} onClick={toRange}>
          To the range
        </Button>
        <Button title={`To the nearest whole number of beats (${keyOf("stretch-grid")})`} onClick={toBeats}>
          To whole beats
        </Button>
        <Button title="Ties every hit to where it lies; drag them with the stretch tool" onClick={warped.length > 0 ? warpOff : warpAtHits}>
          {warped.length > 0 ? `Take ${warped.reduce((n, c) => n + (c.recipe?.warp?.points.length ?? 0), 0)} points off` : "Tie the hits"}
        </Button>
        <Button title={`Stretch, warp and pitch off (${keyOf("as-recorded")})`} disabled={!made} onClick={asRecorded}>
          As recorded
        </Button>
      </div>
    </fieldset>
  );
}
