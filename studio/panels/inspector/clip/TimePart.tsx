"use client";
import { timingOf } from "@wet-thread/core/edit/remaking/remake";
import { kindOf, ownWindow } from "@wet-thread/core/model/recipe/played-recording";
import { type Clip, STRETCH_KINDS, type StretchKind } from "@wet-thread/core/model/schema";
import { formatLength } from "@wet-thread/core/time/format";
import type { ReactNode } from "react";
import { asRecorded, beatsLong, follow, setKind, toBeats, toLengths, toRange, unfollow, warpAtHits, warpOff } from "@/commands/edit/stretch";
import { keyOf } from "@/commands/keys";
import { useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { beatsOf, kindFor } from "@/timeline/gestures/stretch-gesture";
import { Button, Field, Tip } from "@/ui/controls";
import { Fold } from "../Fold";
import { Label, lengthFrom, numberFrom, signed } from "../parts";
import { common } from "./common";

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

/** How long a clip's recording is where it plays it, in samples. */
function ownLength(clip: Clip): number {
  const source = session().doc.sources.get(clip.sourceId);
  const window = source ? ownWindow(source, clip) : { from: 0, to: clip.length };
  return Math.max(1, window.to - window.from);
}

/** How much of what its recording has there a clip lasts, in %. */
const percentOf = (clip: Clip): string => ((100 * clip.length) / ownLength(clip)).toFixed(1);

/** How long and how high the selected clips are of what their recordings have: typed, by kind, to the range, on beats, and as it was. */
export function TimePart({ clips }: { clips: readonly Clip[] }) {
  const made = clips.filter(timingOf);
  const following = clips.some((c) => c.conform);
  const factor = common(clips, percentOf);
  const cents = common(clips, (c) => c.recipe?.pitch ?? 0);
  const says = [
    factor === null ? "mixed" : `${factor} %`,
    cents === null ? "mixed pitch" : cents !== 0 && `${signed(cents, 0)} cents`,
    following && "follows the tempo",
  ];
  return (
    <Fold name="Stretch" says={says.filter(Boolean).join(" · ")} set={made.length > 0 || following}>
      <KindButtons clips={clips} made={made} />
      <LengthFields clips={clips} />
      <PitchFields clips={clips} cents={cents} />
      <TempoField clips={clips} />
      <Actions clips={clips} made={made.length > 0} />
    </Fold>
  );
}

function KindButtons({ clips, made }: { clips: readonly Clip[]; made: readonly Clip[] }) {
  const last = useSettings((s) => s.stretchKind);
  const kind = made.length > 0 ? common(made, (c) => kindOf(c.recipe)) : last;
  return (
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
  );
}

function LengthFields({ clips }: { clips: readonly Clip[] }) {
  const { doc } = session();
  const factor = common(clips, percentOf);
  const length = common(clips, (c) => c.length);
  const beats = common(clips, (c) => beatsOf(doc, c).toFixed(2));
  return (
    <div className="grid grid-cols-3 gap-x-2">
      <div>
        <Label>Length</Label>
        <Field
          label="Length stretched to"
          value={length === null ? "mixed" : formatLength(length, doc.sampleRate)}
          onCommit={(t) => {
            const v = lengthFrom(t, 1, clips[0].length);
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
            if (v !== null) toLengths(clips, (c) => (ownLength(c) * v) / 100);
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
  );
}

function PitchFields({ clips, cents }: { clips: readonly Clip[]; cents: number | null }) {
  const semitones = Math.trunc((cents ?? 0) / 100);
  const pitch = (now: number): void => {
    const within = Math.max(-2400, Math.min(2400, now));
    session().edit(clips.map((c) => ({ type: "set-pitch", clipIds: [c.id], cents: within, kind: kindFor(c) })));
  };
  return (
    <div className="grid grid-cols-2 gap-x-2.5">
      <div>
        <Label>Semitones</Label>
        <Field
          label="Pitch in semitones"
          value={cents === null ? "mixed" : signed(semitones, 0)}
          onCommit={(t) => {
            const v = numberFrom(t, -24, 24, "shift in semitones");
            if (v !== null) pitch(Math.round(v * 100) + (Number.isInteger(v) ? (cents ?? 0) - semitones * 100 : 0));
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
            if (v !== null) pitch(semitones * 100 + Math.round(v));
          }}
        />
      </div>
    </div>
  );
}

function TempoField({ clips }: { clips: readonly Clip[] }) {
  const following = clips.filter((c) => c.conform).length;
  const tempo = common(clips, (c) => c.conform?.bpm);
  return (
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
  );
}

function Actions({ clips, made }: { clips: readonly Clip[]; made: boolean }) {
  const points = clips.reduce((n, c) => n + (c.recipe?.warp?.points.length ?? 0), 0);
  const warped = clips.some((c) => c.recipe?.warp);
  return (
    <div className="mt-2 grid grid-cols-2 gap-1.5">
      <Button title={`Fills the range (${keyOf("stretch-range")})`} onClick={toRange}>
        To the range
      </Button>
      <Button title={`To the nearest whole number of beats (${keyOf("stretch-grid")})`} onClick={toBeats}>
        To whole beats
      </Button>
      <Button title="Ties every hit to where it lies; drag them with the stretch tool" onClick={warped ? warpOff : warpAtHits}>
        {warped ? `Take ${points} points off` : "Tie the hits"}
      </Button>
      <Button title={`Stretch, warp and pitch off (${keyOf("as-recorded")})`} disabled={!made} onClick={asRecorded}>
        As recorded
      </Button>
    </div>
  );
}
