"use client";
import { documentEnd, timebaseOf } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { formatPosition, formatSpan } from "@wet-thread/core/time/format";
import { AudioWaveform, ScanSearch } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { runCommand } from "@/commands/commands";
import { selectedBundle } from "@/commands/edit/clip-actions";
import { keyOf, keyText } from "@/commands/keys";
import { barItems } from "@/commands/menus/menus";
import { AMOUNTS, zoomToAmount } from "@/commands/view/zoom-amounts";
import { useMeters } from "@/engine/transport";
import { useSettings } from "@/state/kept/settings";
import { useMedia } from "@/state/media/use-media";
import { useSession } from "@/state/sync/session";
import { MOST_MAGNIFY, setView, useView } from "@/state/view/view";
import { counted } from "@/state/words/counted";
import { HEAD_WIDTH } from "@/timeline/model/geometry";
import { findSeam, seamClass } from "@/timeline/model/seam-classes";
import { useShownDoc, useShownRange } from "@/timeline/model/shown";
import { Key, Popover } from "@/ui/controls";
import { Menu } from "@/ui/menu";
import { followPointer } from "@/ui/pointer-drag";
import { RecordingState } from "../recording/RecordingState";
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
      <RecordingState rate={rate} />
      <span className="ml-auto" />
      <span className="flex items-center gap-1.5">
        <Key>{keyOf("snap")}</Key>{" "}
        {held
          ? snapOn
            ? "snap is off while you hold it"
            : "snap is on while you hold it"
          : snapOn
            ? "held leaves the grid"
            : "held snaps to the grid"}
      </span>
      <span className="flex items-center gap-1.5 max-[1250px]:hidden">
        <Key>{keyText("Alt")}</Key> copies <Key>Shift</Key> keeps the direction
      </span>
      <span className="min-w-[250px] truncate text-right max-[900px]:hidden" data-testid="hint">
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
  const attacks = useView((v) => v.attacksOnly);
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
        ) : attacks ? (
          <button
            type="button"
            className="text-ink underline decoration-dotted"
            title="Of the selected clips, or of all, only the attacks are heard. Click to hear everything."
            onClick={() => setView({ attacksOnly: false })}
          >
            attacks only
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
  const together = useView((v) => v.trackIds);
  const fade = useView((v) => v.fade);
  const [unit, lengthUnit] = useSettings((s) => s.readOuts);
  useMedia();
  const base = timebaseOf(doc);
  const at = (sample: number): string => formatPosition(sample, unit, base);
  const words = (): string => {
    if (range) {
      const long = formatSpan(range.start, range.end, lengthUnit, base);
      return `Range ${at(range.start)} – ${at(range.end)}  ${long}  ${counted(range.trackIds.length, "track")}`;
    }
    const clips = [...ids].map((id) => doc.clips.get(id)).filter((c) => c !== undefined);
    if (clips.length > 0) {
      const on = new Set(clips.map((c) => c.trackId));
      const tracks = on.size;
      // A track may be chosen while clips are selected elsewhere: what means a track then means it.
      const chosen = doc.tracks.get(trackId ?? "");
      const beside = chosen && !on.has(chosen.id) ? ` · track ${chosen.name}` : "";
      const [from, to] = [Math.min(...clips.map((c) => c.start)), Math.max(...clips.map(clipEnd))];
      const what = counted(clips.length, "clip");
      const named = selectedBundle() ? `Bundle of ${what}` : clips.length === 1 ? `${what}, ${clips[0].name}` : what;
      const faded = fade && doc.clips.get(fade.clipId);
      if (fade && faded)
        return `Fade ${fade.edge} of ${faded.name}  ${formatSpan(0, (fade.edge === "in" ? faded.fadeIn : faded.fadeOut).length, "time", base)}: Delete takes it off`;
      return `${named}${tracks > 1 ? ` on ${tracks} tracks` : ""} ${at(from)} – ${at(to)}  ${formatSpan(from, to, lengthUnit, base)}${beside}`;
    }
    if (picking) return "Picking: each click adds a clip or takes it out";
    const seam = findSeam(doc, seamId);
    if (seam) return `Seam at ${at(seam.position)}, ${seamClass(doc, seam)}`;
    const mark = doc.markers.get(markId ?? "") ?? doc.sections.get(markId ?? "");
    if (mark)
      return `${"position" in mark ? "Marker" : "Section"} ${mark.name} at ${at("position" in mark ? mark.position : mark.start)}: nudged by ${keyOf("nudge-earlier")} and ${keyOf("nudge-later")}`;
    if (together.size > 1) return `${together.size} tracks chosen`;
    const track = doc.tracks.get(trackId ?? "");
    return track ? `Track ${track.name}, ${counted(doc.lanes.get(track.id)?.clips.length ?? 0, "clip")}` : "Nothing selected";
  };
  return (
    <span role="status" className="min-w-0 truncate whitespace-pre tabular-nums" data-testid="selection">
      {words()}
    </span>
  );
}

/** How long the piece is, and how close and how tall it is looked at. */
export function OverviewLabel() {
  const doc = useSession((s) => s.doc);
  const unit = useSettings((s) => s.readOuts[1]);
  const magnify = useView((v) => v.magnify);
  const end = documentEnd(doc);
  return (
    <Menu items={barItems.overview}>
      <div className="flex shrink-0 items-center gap-1 pr-1 pl-3.5 text-sm" style={{ width: HEAD_WIDTH }}>
        <span className="min-w-0 flex-1 truncate" title="The whole piece">
          <span className="font-semibold">Whole</span> <span className="num">{formatSpan(0, end, unit, timebaseOf(doc))}</span>
        </span>
        <Popover
          width={150}
          trigger={
            <button type="button" aria-label="Show so much time" title="Show so much time" className="rounded-sm p-1 text-ink-2 hover:bg-weft">
              <ScanSearch size={14} aria-hidden />
            </button>
          }
        >
          <div className="flex flex-col">
            {AMOUNTS.map(({ label, seconds }) => (
              <button key={label} type="button" className="rounded-sm px-2 py-1 text-left hover:bg-weft" onClick={() => zoomToAmount(seconds)}>
                {label}
              </button>
            ))}
            <button type="button" className="rounded-sm px-2 py-1 text-left hover:bg-weft" onClick={() => runCommand("zoom-whole")}>
              Whole piece
            </button>
          </div>
        </Popover>
        <WaveHeight magnify={magnify} />
      </div>
    </Menu>
  );
}

/** How tall waveforms are drawn by one press, and how many pixels of a drag double it. */
const TALL = 8;
const DOUBLES = 40;

/** The height of the waveforms: a press enlarges and goes back, a drag up or down sets how much. What is heard stays the same. */
function WaveHeight({ magnify }: { magnify: number }) {
  return (
    <button
      type="button"
      aria-label={`Height of the waveforms: ${magnify.toFixed(1)} times`}
      aria-pressed={magnify > 1}
      title="Height of the waveforms, in the drawing only: press to enlarge and to go back, drag up for more"
      className="touch-none rounded-sm p-1 text-ink-2 hover:bg-weft aria-pressed:bg-weft aria-pressed:text-ink"
      onClick={(e) => e.detail === 0 && setView({ magnify: magnify > 1 ? 1 : TALL })}
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        const y0 = e.clientY;
        let moved = false;
        followPointer(e.currentTarget, e.pointerId, {
          move: (m) => {
            moved ||= Math.abs(m.clientY - y0) > 3;
            if (moved) setView({ magnify: Math.max(1, Math.min(MOST_MAGNIFY, magnify * 2 ** ((y0 - m.clientY) / DOUBLES))) });
          },
          drop: () => {
            if (!moved) setView({ magnify: magnify > 1 ? 1 : TALL });
          },
          cancel: () => setView({ magnify }),
        });
      }}
    >
      <AudioWaveform size={14} aria-hidden />
    </button>
  );
}
