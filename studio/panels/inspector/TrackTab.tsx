"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { formatBars } from "@wet-thread/core/time/format";
import { ArrowDown, ArrowUp } from "lucide-react";
import { session, useSession } from "@/state/session";
import { selectClips, setView, useView } from "@/state/view";
import { Button, Field, Slider, Swatches } from "@/ui/controls";
import { Empty, Label, numberFrom, signed } from "./parts";

export function TrackTab() {
  const doc = useSession((s) => s.doc);
  const trackId = useView((v) => v.trackId);
  const chosen = useView((v) => v.clipIds);
  const track = trackId ? doc.tracks.get(trackId) : undefined;
  if (!track) return <Empty title="No track chosen">Click a track's head to see it here.</Empty>;
  const set = (change: Record<string, unknown>): void => void session().edit([{ type: "set-track", trackIds: [track.id], ...change }]);
  const index = doc.piece.trackOrder.indexOf(track.id);
  const clips = doc.lanes.get(track.id)?.clips ?? [];
  const base = timebaseOf(doc);
  return (
    <div>
      <Field
        label="Name"
        numeric={false}
        className="font-semibold"
        value={track.name}
        onCommit={(name) => session().edit([{ type: "rename-track", trackId: track.id, name }])}
      />
      <div className="grid grid-cols-2 gap-x-2.5">
        <div>
          <Label>Gain</Label>
          <Field
            label="Gain"
            unit="dB"
            value={track.gain <= -144 ? "−∞" : signed(track.gain, 1)}
            onCommit={(t) => {
              const v = numberFrom(t, -144, 48, "gain in dB");
              if (v !== null) set({ gain: v });
            }}
          />
        </div>
        <div>
          <Label>Height</Label>
          <Field
            label="Height"
            unit="px"
            value={String(track.height)}
            onCommit={(t) => {
              const v = numberFrom(t, 36, 600, "height");
              if (v !== null) set({ height: Math.round(v) });
            }}
          />
        </div>
      </div>
      <Label side={track.pan === 0 ? "centre" : `${Math.abs(Math.round(track.pan * 100))} ${track.pan < 0 ? "left" : "right"}`}>Pan</Label>
      <Slider label="Pan" min={-1} max={1} step={0.01} value={track.pan} onCommit={(pan) => set({ pan })} />
      <Label>Colour</Label>
      <Swatches value={track.color} onChange={(color) => set({ color })} />
      <div className="mt-4 flex gap-2">
        <Button
          aria-label="Move track up"
          disabled={index === 0}
          onClick={() => session().edit([{ type: "move-track", trackId: track.id, index: index - 1 }])}
        >
          <ArrowUp size={15} />
        </Button>
        <Button
          aria-label="Move track down"
          disabled={index === doc.piece.trackOrder.length - 1}
          onClick={() => session().edit([{ type: "move-track", trackId: track.id, index: index + 1 }])}
        >
          <ArrowDown size={15} />
        </Button>
        <Button
          className="flex-1"
          onClick={() => {
            if (session().edit([{ type: "remove-track", trackId: track.id }])) setView({ trackId: null, clipIds: new Set() });
          }}
        >
          Remove track
        </Button>
      </div>
      <Label side={`${clips.length}`}>Clips</Label>
      <ul className="-mx-1.5" aria-label={`Clips of ${track.name}`}>
        {clips.slice(0, 200).map((c) => (
          <li key={c.id}>
            <button
              type="button"
              aria-pressed={chosen.has(c.id)}
              className="flex w-full items-baseline gap-2 rounded-sm px-1.5 py-1 text-left hover:bg-weft aria-pressed:bg-weft"
              onClick={() => {
                selectClips([c.id]);
                setView({ tab: "track" });
              }}
            >
              <span className="num shrink-0 text-ink-2 text-sm">{formatBars(c.start, base)}</span>
              <span className="min-w-0 truncate">{c.name}</span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
