"use client";
import { linkedTracks } from "@wet-thread/core/edit/links/links";
import { timebaseOf } from "@wet-thread/core/model/document";
import { formatBars } from "@wet-thread/core/time/format";
import { ArrowDown, ArrowUp } from "lucide-react";
import { runCommand } from "@/commands/commands";
import { useSettings } from "@/state/kept/settings";
import { session, useSession } from "@/state/sync/session";
import { selectClips, setView, useView } from "@/state/view/view";
import { Button, Field, Slider, Swatches } from "@/ui/controls";
import { InputPart } from "../recording/InputPart";
import { Empty, Label, numberFrom, signed } from "./parts";

export function TrackTab() {
  const doc = useSession((s) => s.doc);
  const trackId = useView((v) => v.trackId);
  const chosen = useView((v) => v.clipIds);
  const linksOn = useSettings((s) => s.linksOn);
  const track = trackId ? doc.tracks.get(trackId) : undefined;
  if (!track) return <Empty title="No track chosen">Click a track's head to see it here.</Empty>;
  const set = (change: Record<string, unknown>): void => void session().edit([{ type: "set-track", trackIds: [track.id], ...change }]);
  const index = doc.piece.trackOrder.indexOf(track.id);
  const clips = doc.lanes.get(track.id)?.clips ?? [];
  const others = linkedTracks(doc, track.id).length;
  const hidden = [...doc.tracks.values()].filter((t) => t.hidden);
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
      <Label side={track.link ? `${others} more ${others === 1 ? "track" : "tracks"}` : undefined}>Link</Label>
      <div className="flex gap-2.5">
        <Field
          label="Link"
          numeric={false}
          className="min-w-0 flex-1"
          value={track.link ?? ""}
          onCommit={(name) => set({ link: name.trim() || null })}
        />
        {track.link && <Button onClick={() => runCommand("links")}>{linksOn ? "Suspend" : "Resume"}</Button>}
      </div>
      <p className="mt-1 text-ink-3 text-sm">Tracks with the same name here are edited together, each at its own place.</p>
      <InputPart trackId={track.id} />
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
      <div className="mt-2 flex gap-2">
        <Button className="flex-1" onClick={() => session().edit([{ type: "duplicate-track", trackId: track.id }])}>
          Duplicate
        </Button>
        <Button className="flex-1" onClick={() => set({ hidden: !track.hidden })}>
          {track.hidden ? "Show" : "Hide"}
        </Button>
      </div>
      {hidden.length > 0 && (
        <>
          <Label side={`${hidden.length}`}>Hidden tracks</Label>
          <ul className="-mx-1.5" aria-label="Hidden tracks">
            {hidden.map((t) => (
              <li key={t.id} className="flex items-center gap-2 px-1.5 py-0.5">
                <span className="size-2.5 shrink-0 rounded-full" style={{ background: `var(--${t.color})` }} />
                <span className="min-w-0 flex-1 truncate">{t.name}</span>
                <button
                  type="button"
                  className="rounded-sm border border-line bg-raised px-1.5 text-sm hover:border-ink-3"
                  onClick={() => session().edit([{ type: "set-track", trackIds: [t.id], hidden: false }], `Show ${t.name}`)}
                >
                  Show
                </button>
              </li>
            ))}
          </ul>
        </>
      )}
      <Label side={`${clips.length}`}>Clips</Label>
      <ul className="-mx-1.5" aria-label={`Clips of ${track.name}`}>
        {clips.slice(0, 200).map((c) => (
          <li key={c.id}>
            <button
              type="button"
              aria-pressed={chosen.has(c.id)}
              className="flex w-full items-baseline gap-2 rounded-sm px-1.5 py-1 text-left hover:bg-weft aria-pressed:bg-weft"
              onClick={() => {
                selectClips(session().doc, [c.id]);
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
