"use client";
import { documentEnd, timebaseOf } from "@wet-thread/core/model/document";
import { clipEnd } from "@wet-thread/core/model/schema";
import { formatBars, formatClock, formatLength } from "@wet-thread/core/time/format";
import { selectedBundle } from "@/commands/clip-actions";
import { useMeters } from "@/engine/transport";
import { useSession } from "@/state/session";
import { useSettings } from "@/state/settings";
import { useView } from "@/state/view";
import { HEAD_WIDTH } from "@/timeline/geometry";
import { Key } from "@/ui/controls";

/** What is selected, what the keys do right now, and how the engine is. */
export function StatusLine() {
  const hint = useView((v) => v.hint);
  const held = useView((v) => v.gridHeld);
  const locked = useView((v) => v.locked);
  const snapOn = useSettings((s) => s.snapOn);
  const rate = useSession((s) => s.doc.sampleRate);
  const { engine, starved } = useMeters();
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
      <span className="num text-ink-3">
        {rate / 1000} kHz ·{" "}
        {engine === "no device" ? (
          <b className="text-madder">no sound device</b>
        ) : starved > 0 ? (
          <b className="text-madder">{starved} gaps</b>
        ) : engine === "on" ? (
          "engine on"
        ) : (
          "engine ready"
        )}
      </span>
    </footer>
  );
}

function Selection() {
  const doc = useSession((s) => s.doc);
  const range = useView((v) => v.range);
  const ids = useView((v) => v.clipIds);
  const picking = useView((v) => v.picking);
  const base = timebaseOf(doc);
  if (range) {
    return (
      <span className="num" data-testid="selection">
        Range {formatBars(range.start, base)} – {formatBars(range.end, base)} &nbsp;{formatLength(range.end - range.start, doc.sampleRate)} &nbsp;
        {range.trackIds.length === 1 ? "1 track" : `${range.trackIds.length} tracks`}
      </span>
    );
  }
  const clips = [...ids].map((id) => doc.clips.get(id)).filter((c) => c !== undefined);
  if (clips.length === 0)
    return <span data-testid="selection">{picking ? "Picking: each click adds a clip or takes it out" : "Nothing selected"}</span>;
  const bundle = selectedBundle();
  const tracks = new Set(clips.map((c) => c.trackId)).size;
  const [from, to] = [Math.min(...clips.map((c) => c.start)), Math.max(...clips.map(clipEnd))];
  return (
    <span className="num" data-testid="selection">
      {bundle ? `Bundle of ${clips.length === 1 ? "1 clip" : `${clips.length} clips`}` : clips.length === 1 ? "1 clip" : `${clips.length} clips`}
      {tracks > 1 && ` on ${tracks} tracks`} {formatBars(from, base)} – {formatBars(to, base)} &nbsp;
      {formatLength(to - from, doc.sampleRate)}
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
