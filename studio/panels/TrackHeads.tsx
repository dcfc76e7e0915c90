"use client";
import type { Track } from "@wet-thread/core/model/schema";
import clsx from "clsx";
import { Plus } from "lucide-react";
import { useEffect, useRef } from "react";
import { useMeters } from "@/engine/transport";
import { session, useSession } from "@/state/session";
import { setView, useView } from "@/state/view";
import { HEAD_WIDTH, laneBoxes } from "@/timeline/geometry";
import { Slider } from "@/ui/controls";
import { RulerLabels } from "./RulerLabels";

/** dB at which a meter's bar begins. */
const METER_FLOOR = -48;

export function TrackHeads() {
  const doc = useSession((s) => s.doc);
  const scrollY = useView((v) => v.scrollY);
  const chosen = useView((v) => v.trackId);
  const boxes = laneBoxes(doc);
  const below = boxes.at(-1);
  return (
    <aside aria-label="Tracks" className="flex shrink-0 flex-col" style={{ width: HEAD_WIDTH }}>
      <RulerLabels />
      <div className="relative min-h-0 flex-1 overflow-hidden">
        {boxes.map((box) => (
          <div key={box.trackId} className="absolute inset-x-0" style={{ top: box.top - scrollY, height: box.height }}>
            <Head track={box.track} chosen={chosen === box.trackId} mono={monoOf(doc, box.trackId)} />
          </div>
        ))}
        <div className="absolute inset-x-0 p-2.5" style={{ top: (below ? below.top + below.height : 0) - scrollY }}>
          <button
            type="button"
            className="flex h-8 w-full items-center gap-2 rounded-md px-2 text-ink-2 hover:bg-weft"
            onClick={() => session().edit([{ type: "add-track" }])}
          >
            <Plus size={15} aria-hidden /> Add track
          </button>
        </div>
      </div>
    </aside>
  );
}

function monoOf(doc: ReturnType<typeof session>["doc"], trackId: string): string {
  const first = doc.lanes.get(trackId)?.clips[0];
  const channels = first && doc.sources.get(first.sourceId)?.channels;
  return channels === 1 ? "mono" : channels === 2 ? "stereo" : channels ? `${channels} channels` : "";
}

function Head({ track, chosen, mono }: { track: Track; chosen: boolean; mono: string }) {
  const set = (change: Record<string, unknown>): void => void session().edit([{ type: "set-track", trackIds: [track.id], ...change }]);
  const low = track.height < 70;
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the keyboard chooses a track through its name field and buttons
    // biome-ignore lint/a11y/noStaticElementInteractions: see above
    <div className={clsx("flex h-full border-line border-b", chosen && "bg-raised")} onClick={() => setView({ trackId: track.id })}>
      <span className="w-[5px] shrink-0" style={{ background: `var(--${track.color})` }} />
      <div className={clsx("flex min-w-0 flex-1 flex-col px-2.5", low ? "gap-0.5 py-1" : "gap-1 py-1.5")}>
        <div className="flex items-baseline gap-1.5">
          <input
            aria-label={`Name of track ${track.name}`}
            className="w-full min-w-0 truncate rounded-sm bg-transparent font-semibold outline-none focus:bg-raised"
            defaultValue={track.name}
            key={track.name}
            size={8}
            onBlur={(e) => {
              const name = e.target.value.trim();
              if (name && name !== track.name) session().edit([{ type: "rename-track", trackId: track.id, name }]);
              else e.target.value = track.name;
            }}
            onKeyDown={(e) => (e.key === "Enter" || e.key === "Escape") && e.currentTarget.blur()}
          />
          <span className="shrink-0 text-ink-2 text-xs">{track.link ? "linked" : mono}</span>
        </div>
        <div className="flex items-center gap-1.5">
          <Toggle on={track.mute} label={`Mute ${track.name}`} letter="M" color="weld" onClick={() => set({ mute: !track.mute })} />
          <Toggle on={track.solo} label={`Solo ${track.name}`} letter="S" color="fern" onClick={() => set({ solo: !track.solo })} />
          <Slider
            label={`Gain of ${track.name} in dB`}
            className="ml-1 flex-1"
            min={-48}
            max={12}
            step={0.5}
            value={Math.max(-48, track.gain)}
            onCommit={(v) => set({ gain: v <= -48 ? -144 : v })}
          />
        </div>
        {!low && <Meter trackId={track.id} color={track.color} />}
      </div>
    </div>
  );
}

function Toggle({ on, label, letter, color, onClick }: { on: boolean; label: string; letter: string; color: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      aria-pressed={on}
      onClick={onClick}
      className="num grid h-[18px] w-[20px] shrink-0 place-items-center rounded-sm border border-line bg-raised font-semibold text-ink-2 text-xs"
      style={
        on ? { background: `color-mix(in srgb, var(--${color}) 38%, var(--raised))`, borderColor: `var(--${color})`, color: "var(--ink)" } : undefined
      }
    >
      {letter}
    </button>
  );
}

/** The track's level while it plays; written straight into the page. */
function Meter({ trackId, color }: { trackId: string; color: string }) {
  const bar = useRef<HTMLDivElement>(null);
  useEffect(
    () =>
      useMeters.subscribe((m) => {
        const peak = m.tracks[trackId] ?? 0;
        const part = peak > 0 ? Math.max(0, 1 - (20 * Math.log10(peak)) / METER_FLOOR) : 0;
        if (bar.current) bar.current.style.transform = `scaleX(${Math.min(1, part).toFixed(3)})`;
      }),
    [trackId],
  );
  return (
    <div className="h-[3px] overflow-hidden rounded-full bg-weft" aria-hidden>
      <div ref={bar} className="h-full origin-left" style={{ background: `var(--${color})`, transform: "scaleX(0)" }} />
    </div>
  );
}
