"use client";
import { documentEnd, timebaseOf } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { formatBars, formatClock, formatLength } from "@wet-thread/core/time/format";
import { useEffect, useRef, useState } from "react";
import { selectedBundle } from "@/commands/clip-actions";
import { useMeters } from "@/engine/transport";
import { useSession } from "@/state/session";
import { useSettings } from "@/state/settings";
import { useMedia } from "@/state/use-media";
import { useView } from "@/state/view";
import { HEAD_WIDTH } from "@/timeline/model/geometry";
import { findSeam, seamClass } from "@/timeline/model/seam-classes";
import { useShownDoc, useShownRange } from "@/timeline/model/shown";
import { Key } from "@/ui/controls";
import { LevelBar } from "./LevelBar";

/** What is selected, what the keys do right now, and how the engine is. */
export function StatusLine() {
  const hint = useView((v) => v.hint);
  const held = useView((v) => v.gridHeld);
  const locked = useView((v) => v.locked);
  const snapOn = useSettings((s) => s.snapOn);
  const rate = useSession((s) => s.doc.sampleRate);
  return (
    <footer className="flex items-center gap-5 overflow-hidden whitespace-nowrap border-line border-t px-3 text-ink-2 text-sm">
      <Selection />
      <span className="ml-auto" />
      <span className="flex items-center gap-1.5">
        <Key>G</Key>{" "}
        {held
          ? snapOn
            ? "snap is off while you hold it"
            : "snap is on while you hold it"
          : snapOn
            ? "held leaves the grid"
            : "held snaps to the grid"}
      </span>
      <span className="flex items-center gap-1.5 max-[1250px]:hidden">
        <Key>Alt</Key> copies <Key>Shift</Key> keeps the direction
      </span>
      <span className="min-w-[250px] truncate text-right" data-testid="hint">
        {locked ? "The view is locked: a drag scrolls, nothing is edited" : hint || "Drag edge to trim, corner to fade, name to move"}
      </span>
      <EngineState rate={rate} />
    </footer>
  );
}

/** How long the state of an engine that ran dry stays in words, in ms; the count stays until it is clicked away. */
const STARVING_MS = 2500;

/** What is heard altogether, and whether the engine keeps up. */
function EngineState({ rate }: { rate: number }) {
  const engine = useMeters((m) => m.engine);
  const starved = useMeters((m) => m.starved);
  const missing = useMeters((m) => m.missing);
  const waiting = useMeters((m) => m.waiting);
  const starvedAt = useMeters((m) => m.starvedAt);
  const [seen, setSeen] = useState(0);
  const [now, setNow] = useState(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: each time it runs dry the words stay for a while
  useEffect(() => {
    setNow(performance.now());
    const timer = setTimeout(() => setNow(performance.now()), STARVING_MS + 50);
    return () => clearTimeout(timer);
  }, [starvedAt]);
  const starving = starved > seen && now - starvedAt < STARVING_MS;
  const gaps = starved - seen;
  const wrong =
    engine === "no device"
      ? "no sound device"
      : engine === "server away"
        ? "no sound: the server does not answer"
        : engine === "not secure"
          ? "no sound: not over https"
          : waiting
            ? "waiting for the sound: the server is slow"
            : missing
              ? "sound is missing: the server does not answer"
              : starving
                ? "the sound can't keep up: waiting for it"
                : null;
  return (
    <span className="flex items-center gap-2.5" data-testid="engine" data-engine={wrong ? "wrong" : engine}>
      <span className="flex w-[72px] flex-col gap-[2px]" role="img" aria-label="Level of what is heard, left and right">
        <LevelBar level={(m) => m.left} color="var(--fern)" thick={4} />
        <LevelBar level={(m) => m.right} color="var(--fern)" thick={4} />
      </span>
      <MasterPeak />
      <span className="num text-ink-3" role="status">
        {rate / 1000} kHz ·{" "}
        {wrong ? (
          <b className="text-madder">{wrong}</b>
        ) : gaps > 0 ? (
          <button
            type="button"
            className="text-ink-2 underline decoration-dotted"
            title="The sound had to wait this often. Click to forget it; closing other programs or muting tracks helps."
            onClick={() => setSeen(starved)}
          >
            engine on, {gaps === 1 ? "1 gap" : `${gaps} gaps`}
          </button>
        ) : engine === "on" ? (
          "engine on"
        ) : engine === "restarted" ? (
          "engine started again"
        ) : (
          "engine ready"
        )}
      </span>
    </span>
  );
}

/** The loudest moment so far in dB; a click forgets it. */
function MasterPeak() {
  const text = useRef<HTMLButtonElement>(null);
  const most = useRef(0);
  useEffect(
    () =>
      useMeters.subscribe((m) => {
        const peak = Math.max(m.left, m.right);
        if (peak <= most.current || !text.current) return;
        most.current = peak;
        const db = 20 * Math.log10(peak);
        text.current.textContent = `${db < 0 ? "−" : "+"}${Math.abs(db).toFixed(1)}`;
        text.current.style.color = peak > 1 ? "var(--madder)" : "";
      }),
    [],
  );
  return (
    <button
      ref={text}
      type="button"
      className="num w-[40px] text-right"
      title="The loudest moment so far in dB, full scale is 0. Click to begin anew."
      aria-label="Loudest moment so far in dB; click to begin anew"
      onClick={(e) => {
        most.current = 0;
        e.currentTarget.textContent = "–";
        e.currentTarget.style.color = "";
      }}
    >
      –
    </button>
  );
}

/** What is selected, in words; told to a screen reader whenever it changes. */
function Selection() {
  const doc = useShownDoc();
  const range = useShownRange();
  const ids = useView((v) => v.clipIds);
  const picking = useView((v) => v.picking);
  const seamId = useView((v) => v.seamId);
  const markId = useView((v) => v.markId);
  const trackId = useView((v) => v.trackId);
  useMedia();
  const base = timebaseOf(doc);
  const counted = (n: number, one: string): string => `${n} ${one}${n === 1 ? "" : "s"}`;
  const words = (): string => {
    if (range) {
      const long = formatLength(range.end - range.start, doc.sampleRate);
      return `Range ${formatBars(range.start, base)} – ${formatBars(range.end, base)}  ${long}  ${counted(range.trackIds.length, "track")}`;
    }
    const clips = [...ids].map((id) => doc.clips.get(id)).filter((c) => c !== undefined);
    if (clips.length > 0) {
      const tracks = new Set(clips.map((c) => c.trackId)).size;
      const [from, to] = [Math.min(...clips.map((c) => c.start)), Math.max(...clips.map(clipEnd))];
      const what = counted(clips.length, "clip");
      const named = selectedBundle() ? `Bundle of ${what}` : clips.length === 1 ? `${what}, ${clips[0].name}` : what;
      return `${named}${tracks > 1 ? ` on ${tracks} tracks` : ""} ${formatBars(from, base)} – ${formatBars(to, base)}  ${formatLength(to - from, doc.sampleRate)}`;
    }
    if (picking) return "Picking: each click adds a clip or takes it out";
    const seam = findSeam(doc, seamId);
    if (seam) return `Seam at ${formatBars(seam.position, base)}, ${seamClass(doc, seam)}`;
    const mark = doc.markers.get(markId ?? "") ?? doc.sections.get(markId ?? "");
    if (mark)
      return `${"position" in mark ? "Marker" : "Section"} ${mark.name} at ${formatBars("position" in mark ? mark.position : mark.start, base)}`;
    const track = doc.tracks.get(trackId ?? "");
    return track ? `Track ${track.name}, ${counted(doc.lanes.get(track.id)?.clips.length ?? 0, "clip")}` : "Nothing selected";
  };
  return (
    <span role="status" className="min-w-0 truncate whitespace-pre tabular-nums" data-testid="selection">
      {words()}
    </span>
  );
}

export function OverviewLabel() {
  const end = useSession((s) => documentEnd(s.doc));
  const rate = useSession((s) => s.doc.sampleRate);
  return (
    <div className="flex shrink-0 items-center pl-3.5 font-semibold text-sm" style={{ width: HEAD_WIDTH }}>
      Whole piece <span className="num ml-1.5">{formatClock(end, rate, 0).replace(/^0/, "")}</span>
    </div>
  );
}
