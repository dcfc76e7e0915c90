"use client";
import { clipEnd } from "@wet-thread/core/model/schema";
import clsx from "clsx";
import { Check, X } from "lucide-react";
import { useEffect, useState } from "react";
import { keyOf } from "@/commands/keys";
import { type FirstStep, setSettings, settings, useSettings } from "@/state/kept/settings";
import { session, useSession } from "@/state/sync/session";
import { useView, view } from "@/state/view/view";
import { openHelp } from "@/state/words/help";
import { CLOTH_TOP, laneBoxes, NAME_STRIP, RAIL } from "@/timeline/model/geometry";
import { laneSeams, seamClass } from "@/timeline/model/seam-classes";
import { Button, Key } from "@/ui/controls";

/** The project that the start command makes. Whoever gives it another name has made it their own. */
const DEMO = "Night shift at Harrow Mill";

/** A place in the page, in CSS pixels of the window. */
interface Place {
  readonly left: number;
  readonly top: number;
  readonly width: number;
  readonly height: number;
}

const placeOf = (selector: string): Place | null => document.querySelector(selector)?.getBoundingClientRect() ?? null;

/** A part of the lanes, from the corner of what is in view of them. */
function inLanes(left: number, top: number, width: number, height: number): Place | null {
  const lanes = placeOf("[data-testid=lanes]");
  return lanes && { left: lanes.left + left, top: lanes.top + top, width, height };
}

const toX = (sample: number): number => (sample - view().start) / view().samplesPerPixel;
/** The lanes of which all is in view. */
const lanesInView = () => {
  const { scrollY, height } = view();
  return laneBoxes(session().doc).filter((box) => box.top >= scrollY && box.top + box.height <= scrollY + height);
};

/** The name strip of the first clip in view that is wide enough to be taken hold of. */
function nameStrip(): Place | null {
  const { width, scrollY } = view();
  for (const box of lanesInView())
    for (const clip of session().doc.lanes.get(box.trackId)?.clips ?? []) {
      const [from, to] = [Math.max(0, toX(clip.start)), Math.min(width, toX(clipEnd(clip)))];
      if (to - from > 30) return inLanes(from, box.top - scrollY + CLOTH_TOP, to - from, NAME_STRIP);
    }
  return null;
}

/** The first mark in view of an edit point that is raw; of any, where none is. */
function rawMark(): Place | null {
  const { doc } = session();
  const { width, scrollY } = view();
  const marks = lanesInView().flatMap((box) => laneSeams(doc, box.trackId).map((seam) => ({ box, seam, x: toX(seam.position) })));
  const inView = marks.filter(({ x }) => x > 8 && x < width - 8);
  const mark = inView.find(({ seam }) => seamClass(doc, seam) === "raw") ?? inView[0];
  return mark ? inLanes(mark.x - RAIL / 2 - 3, mark.box.top - scrollY + mark.box.height - RAIL - 4, RAIL + 6, RAIL + 6) : null;
}

interface CardStep {
  readonly id: FirstStep;
  readonly title: string;
  readonly how: string;
  /** The command whose key does it, where one does. */
  readonly command?: string;
  /** Edits that count as having done it. */
  readonly edits?: RegExp;
  /** Where it is done. */
  place(): Place | null;
}

const STEPS: readonly CardStep[] = [
  {
    id: "listen",
    title: "Hear the mill",
    how: "Press play, or click in a ruler first to begin there.",
    command: "play",
    place: () => placeOf("[data-first=play]"),
  },
  {
    id: "closer",
    title: "Come closer",
    how: "Ctrl and the wheel over the lanes, or two fingers, zoom at the pointer.",
    command: "zoom-in",
    place: () => placeOf("[data-testid=lanes]"),
  },
  {
    id: "cut",
    title: "Cut a clip",
    how: "Click a clip where you want the cut, then press the key.",
    command: "split",
    edits: /^split$/,
    place: nameStrip,
  },
  {
    id: "move",
    title: "Move a piece",
    how: "Drag it by its name strip. The mode line says what the drag will do to others.",
    edits: /^(move|copy)$/,
    place: nameStrip,
  },
  {
    id: "smooth",
    title: "Make a cut inaudible",
    how: "Double-click a hollow diamond under a lane, or drag a clip's top corner.",
    command: "smooth",
    edits: /^(smooth|set-fade|fade-range|set-blend|blend-range)$/,
    place: rawMark,
  },
];

/** Looked at from so much nearer counts as having come closer. */
const CLOSER = 1.5;

const done = (id: FirstStep): void => {
  const { firstSteps } = settings();
  if (!firstSteps.done.includes(id)) setSettings({ firstSteps: { ...firstSteps, done: [...firstSteps.done, id] } });
};

/** Sees by what is done, in whatever way, which of the first steps have been taken. */
function useFollowing(): void {
  const playing = useView((v) => v.playing);
  const nearness = useView((v) => v.samplesPerPixel);
  const unsent = useSession((s) => s.unsent);
  const [farthest, setFarthest] = useState(nearness);
  useEffect(() => {
    if (playing) done("listen");
  }, [playing]);
  useEffect(() => {
    setFarthest((f) => Math.max(f, nearness));
    if (nearness * CLOSER < farthest) done("closer");
  }, [nearness, farthest]);
  useEffect(() => {
    const types = unsent.flatMap((step) => step.edits.map((e) => e.type));
    for (const { id, edits } of STEPS) if (edits && types.some((t) => edits.test(t))) done(id);
  }, [unsent]);
}

/** Five things to do first, on the demo: each is ticked off when it has been done with the real controls. */
export function DemoCard() {
  const demo = useSession((s) => s.project.name === DEMO);
  const open = useSettings((s) => s.firstSteps.open);
  return demo && open ? <Card /> : null;
}

function Card() {
  const taken = useSettings((s) => s.firstSteps.done);
  const beside = useView((v) => v.help !== null);
  const [ring, setRing] = useState<Place | null>(null);
  useFollowing();
  useEffect(() => {
    if (!ring) return;
    // It points until the next press, wherever that is.
    const off = (): void => setRing(null);
    const begin = requestAnimationFrame(() => {
      for (const event of ["pointerdown", "keydown", "wheel"]) window.addEventListener(event, off, { capture: true, once: true });
    });
    return () => {
      cancelAnimationFrame(begin);
      for (const event of ["pointerdown", "keydown", "wheel"]) window.removeEventListener(event, off, { capture: true });
    };
  }, [ring]);
  const now = STEPS.find((s) => !taken.includes(s.id));
  return (
    <section
      aria-label="Five first steps"
      className={clsx(
        "absolute bottom-3 z-10 w-[330px] max-w-[calc(100%-24px)] rounded-lg border border-line bg-raised p-3.5 shadow-float",
        // Not beneath the help, which stands on the right.
        beside ? "left-3" : "right-3",
      )}
    >
      <div className="flex items-start justify-between gap-3">
        <h2 className="font-semibold text-[15px]">{now ? "Five first steps" : "That is how it goes"}</h2>
        <button
          type="button"
          aria-label="Close the first steps"
          className="rounded-sm p-0.5 hover:bg-weft"
          onClick={() => setSettings({ firstSteps: { ...settings().firstSteps, open: false } })}
        >
          <X size={15} />
        </button>
      </div>
      <ol className="mt-1.5 space-y-1">
        {STEPS.map((step, i) => {
          const isDone = taken.includes(step.id);
          return (
            <li key={step.id} data-step={step.id} data-done={isDone} className={clsx("rounded-md px-1.5 py-1", step === now && "bg-weft/60")}>
              <div className="flex items-center gap-2.5">
                <span
                  className={clsx(
                    "num grid size-[18px] shrink-0 place-items-center rounded-full border text-xs",
                    isDone ? "border-indigo bg-indigo text-raised vat:text-ground" : "border-ink-3 text-ink-2",
                  )}
                >
                  {isDone ? <Check size={12} aria-label="done" /> : i + 1}
                </span>
                <span className={clsx("min-w-0 flex-1", step === now && "font-semibold", isDone && "text-ink-2")}>{step.title}</span>
              </div>
              {step === now && (
                <div className="mt-0.5 ml-7 text-ink-2">
                  <p>
                    {step.how} {step.command && <Key>{keyOf(step.command)}</Key>}
                  </p>
                  <button type="button" className="mt-0.5 text-indigo underline" onClick={() => setRing(step.place())}>
                    Show me where
                  </button>
                </div>
              )}
            </li>
          );
        })}
      </ol>
      <p className="mt-2 text-ink-2 text-sm">
        <Key>{keyOf("undo")}</Key> takes back whatever you tried.
      </p>
      {!now && (
        <Button className="mt-2.5 w-full" onClick={() => openHelp()}>
          The guide goes on from here
        </Button>
      )}
      {ring && (
        <div
          aria-hidden
          data-testid="shown-where"
          className="pointer-events-none fixed z-50 rounded-md border-2 border-indigo outline-4 outline-indigo/25"
          style={{ left: ring.left - 3, top: ring.top - 3, width: ring.width + 6, height: ring.height + 6 }}
        />
      )}
    </section>
  );
}
