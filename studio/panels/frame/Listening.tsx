"use client";
import { Metronome, SlidersHorizontal } from "lucide-react";
import { runCommand } from "@/commands/commands";
import { keyOf } from "@/commands/keys";
import { setSettings, useSettings } from "@/state/kept/settings";
import { FOLLOWS, type Follow, setView, useView } from "@/state/view/view";
import { Field, IconButton, Popover, Segments, Slider } from "@/ui/controls";
import { Row } from "./Row";

/** Longest pre-roll and lead, in seconds. */
const MOST_SECONDS = 60;

const FOLLOW_NAMES: Readonly<Record<Follow, string>> = { page: "turns pages", centre: "centred", stay: "stays" };

export function MetronomeButton() {
  const { on } = useSettings((s) => s.metronome);
  return (
    <IconButton
      label="Metronome: ticks on the beats of the meter, heard only here"
      keys={keyOf("metronome")}
      aria-pressed={on}
      onClick={() => runCommand("metronome")}
      className={on ? "bg-indigo/15 !text-indigo" : ""}
    >
      <Metronome size={16} />
    </IconButton>
  );
}

/** How playing begins and ends, and what the view does meanwhile. */
export function ListenMenu() {
  const { afterStop, preRollMs, playToMs, metronome } = useSettings();
  const follow = useView((v) => v.follow);
  return (
    <Popover
      width={340}
      align="center"
      trigger={
        <button
          type="button"
          aria-label="How playing begins and ends"
          title="How playing begins and ends"
          className="grid size-8 place-items-center rounded-md text-ink-2 hover:bg-weft hover:text-ink"
        >
          <SlidersHorizontal size={15} />
        </button>
      }
    >
      <div className="flex flex-col gap-3">
        <Row name="Playhead after stopping">
          <Segments
            label="After stopping, the playhead"
            value={afterStop}
            options={[
              ["stay", "stays"],
              ["return", "returns"],
            ]}
            onChange={(v) => setSettings({ afterStop: v })}
          />
        </Row>
        <Row name="View while playing">
          <Segments
            label="While playing, the view"
            value={follow}
            options={FOLLOWS.map((f) => [f, FOLLOW_NAMES[f]])}
            onChange={(v) => setView({ follow: v })}
          />
        </Row>
        <Row name="Start early by (pre-roll)">
          <Seconds label="Pre-roll in seconds" ms={preRollMs} onChange={(ms) => setSettings({ preRollMs: ms })} />
        </Row>
        <Row name="Play up to: lead-in of">
          <Seconds label="Lead-in in seconds" ms={playToMs} least={50} onChange={(ms) => setSettings({ playToMs: ms })} />
        </Row>
        <Row name="Metronome">
          <span className="flex w-[118px] items-center gap-2">
            <Slider
              label="Level of the metronome in dB"
              className="flex-1"
              min={-36}
              max={0}
              step={1}
              value={metronome.gain}
              onCommit={(gain) => setSettings({ metronome: { ...metronome, gain } })}
            />
            <span className="num w-[46px] text-right text-ink-2 text-sm">{metronome.gain} dB</span>
          </span>
        </Row>
        <p className="border-weft border-t pt-2.5 text-ink-2 text-sm">
          <kbd className="num">{keyOf("play-from")}</kbd> plays from the selection · <kbd className="num">{keyOf("play-to")}</kbd> plays up to the
          playhead · <kbd className="num">{keyOf("solo")}</kbd> held hears the track alone · <kbd className="num">{keyOf("tool-listen")}</kbd> held
          and dragged scrubs
        </p>
      </div>
    </Popover>
  );
}

/** A length of at most a minute, in seconds. */
export function Seconds({ label, ms, least = 0, onChange }: { label: string; ms: number; least?: number; onChange: (ms: number) => void }) {
  return (
    <Field
      label={label}
      className="w-[92px]"
      unit="s"
      value={String(ms / 1000)}
      onCommit={(text) => {
        const seconds = Number(text.replace(",", "."));
        if (Number.isFinite(seconds) && text.trim() !== "") onChange(Math.round(Math.max(least, Math.min(MOST_SECONDS * 1000, seconds * 1000))));
      }}
    />
  );
}
