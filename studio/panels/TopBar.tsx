"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { formatBars, formatClock } from "@wet-thread/core/time/format";
import { Pause, Play, Redo2, Repeat, SkipBack, Undo2 } from "lucide-react";
import Link from "next/link";
import { useEffect, useRef } from "react";
import { setLoopFromRange } from "@/commands/actions";
import { keyOf, runCommand } from "@/commands/commands";
import { transport } from "@/engine/transport";
import { session, useSession } from "@/state/session";
import { useView, view } from "@/state/view";
import { preview, usePreview } from "@/timeline/preview";
import { IconButton } from "@/ui/controls";
import { Mark } from "@/ui/Mark";
import { ThemeButton } from "@/ui/ThemeButton";
import { ExportMenu } from "./ExportMenu";

export function TopBar() {
  const name = useSession((s) => s.project.name);
  const version = useSession((s) => s.versionName);
  return (
    <header className="grid grid-cols-[1fr_auto_1fr] items-center gap-4 px-3">
      <div className="flex min-w-0 items-center gap-2.5">
        <Link href="/" aria-label="All projects" className="flex items-center gap-2.5">
          <Mark />
          <span className="font-semibold text-[14px] max-[1180px]:hidden">Wet Thread</span>
        </Link>
        <h1 className="min-w-0 truncate text-ink-2">
          {name} / <span className="font-semibold text-ink">{version}</span>
        </h1>
      </div>
      <div className="flex items-center gap-2">
        <IconButton label="Playhead to the start" keys={keyOf("to-start")} onClick={() => runCommand("to-start")}>
          <SkipBack size={16} />
        </IconButton>
        <PlayButton />
        <LoopButton />
        <ReadOuts />
      </div>
      <div className="flex items-center justify-end gap-1.5">
        <SavedState />
        <IconButton label="Undo" keys={keyOf("undo")} onClick={() => session().back("undo")}>
          <Undo2 size={16} />
        </IconButton>
        <IconButton label="Redo" keys={keyOf("redo")} onClick={() => session().back("redo")}>
          <Redo2 size={16} />
        </IconButton>
        <ThemeButton />
        <ExportMenu />
      </div>
    </header>
  );
}

function PlayButton() {
  const playing = useView((v) => v.playing);
  return (
    <button
      type="button"
      aria-label={playing ? "Stop" : "Play"}
      onClick={() => transport().toggle()}
      className="grid size-9 place-items-center rounded-full bg-ink text-raised"
    >
      {playing ? <Pause size={16} fill="currentColor" /> : <Play size={16} fill="currentColor" className="ml-0.5" />}
    </button>
  );
}

function LoopButton() {
  const loop = useSession((s) => s.doc.piece.loop);
  return (
    <IconButton
      label={loop ? "Loop" : "Loop: make a range first"}
      keys={keyOf("loop")}
      aria-pressed={loop?.on ?? false}
      onClick={setLoopFromRange}
      className={loop?.on ? "bg-indigo/15 !text-indigo" : ""}
    >
      <Repeat size={16} />
    </IconButton>
  );
}

/** The playhead in bars and in time, and the tempo and meter there; written straight into the page, since it changes every frame. */
function ReadOuts() {
  const bars = useRef<HTMLSpanElement>(null);
  const clock = useRef<HTMLSpanElement>(null);
  const tempo = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    let due = 0;
    const write = (): void => {
      due = 0;
      const { doc } = session().store.getState();
      const base = timebaseOf(doc);
      const at = Math.round(preview().playhead ?? (view().playing ? transport().position() : view().playhead));
      const tick = base.tempo.sampleToTick(at);
      const meter = base.meter.meterAt(tick);
      if (bars.current) bars.current.textContent = formatBars(at, base);
      if (clock.current) clock.current.textContent = formatClock(at, doc.sampleRate);
      if (tempo.current) tempo.current.textContent = `${base.tempo.bpmAt(tick).toFixed(2)}  ${meter.numerator}/${meter.denominator}`;
      if (view().playing) request();
    };
    const request = (): void => {
      if (!due) due = requestAnimationFrame(write);
    };
    const offs = [useView.subscribe(request), usePreview.subscribe(request), session().store.subscribe(request)];
    request();
    return () => {
      for (const off of offs) off();
      cancelAnimationFrame(due);
    };
  }, []);
  return (
    <div className="ml-1 flex h-9 items-baseline gap-2 rounded-md border border-line bg-ground px-3 pt-1">
      <span ref={bars} className="num min-w-[92px] font-semibold text-xl" data-testid="read-out-bars" />
      <span className="text-ink-3 text-xs">bars</span>
      <span ref={clock} className="num ml-1 min-w-[76px] text-ink-2 text-lg" data-testid="read-out-time" />
      <span className="text-ink-3 text-xs">time</span>
      <span ref={tempo} className="num ml-1 whitespace-pre text-ink-2 text-sm max-[1180px]:hidden" />
    </div>
  );
}

function SavedState() {
  const save = useSession((s) => s.save);
  const at = useSession((s) => s.savedAt);
  const unsent = useSession((s) => s.unsent.length);
  const text =
    save === "waiting"
      ? `Server away · ${unsent} ${unsent === 1 ? "step" : "steps"} kept here`
      : save === "saving"
        ? "Saving …"
        : at
          ? `Saved ${at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}`
          : "Saved";
  return (
    <span
      role="status"
      className={`mr-1 truncate text-sm ${save === "waiting" ? "font-semibold text-madder" : "text-ink-3"}`}
      data-testid="save-state"
      data-save={save}
    >
      {text}
    </span>
  );
}
