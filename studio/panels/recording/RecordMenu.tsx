"use client";
import { STAND_INS, type StandInKind } from "@wet-thread/core/render/stand-in";
import { MOST_COUNTED } from "@wet-thread/core/time/count-in";
import clsx from "clsx";
import { Mic } from "lucide-react";
import { runCommand } from "@/commands/commands";
import { keyOf } from "@/commands/keys";
import { setRecording, useRecorder, useRecording } from "@/state/kept/recording";
import { Field, IconButton, Popover, Segments } from "@/ui/controls";
import { Seconds } from "../frame/Listening";
import { Row } from "../frame/Row";
import { numberFrom } from "../inspector/parts";

/** Longest way through the stand-in, in ms. */
const MOST_DELAY_MS = 500;

const SOUNDS: Readonly<Record<StandInKind, string>> = {
  click: "a click on each beat",
  shuttle: "the shuttle, a little loose",
  bell: "a bell on each bar",
  guide: "the guide, speaking",
};

export function RecordButton() {
  const phase = useRecorder((r) => r.phase);
  const under = phase === "on" || phase === "counting";
  return (
    <IconButton
      label={under ? "End the recording" : "Record on the armed tracks"}
      keys={keyOf("record")}
      aria-pressed={under}
      onClick={() => runCommand("record")}
      className={clsx(under && "bg-madder/20")}
    >
      <span
        aria-hidden
        className={clsx("block size-[13px] bg-madder", under ? "rounded-[2px]" : "rounded-full", phase === "counting" && "animate-pulse")}
      />
    </IconButton>
  );
}

/** How recording begins, and what the stand-in for a sound device plays. */
export function RecordMenu() {
  const { countInBars, preRollMs, punch, standIn } = useRecording();
  return (
    <Popover
      width={348}
      align="center"
      trigger={
        <button
          type="button"
          aria-label="How it is recorded"
          title="How it is recorded"
          className="grid size-8 place-items-center rounded-md text-ink-2 hover:bg-weft hover:text-ink"
        >
          <Mic size={15} />
        </button>
      }
    >
      <div className="flex flex-col gap-3">
        <Row name="Count in">
          <Field
            label="Bars that are counted in"
            className="w-[92px]"
            unit={countInBars === 1 ? "bar" : "bars"}
            value={String(countInBars)}
            onCommit={(t) => {
              const n = numberFrom(t, 0, MOST_COUNTED, "number of bars");
              if (n !== null) setRecording({ countInBars: Math.round(n) });
            }}
          />
        </Row>
        <Row name="Hear before (pre-roll)">
          <Seconds label="Pre-roll of recording in seconds" ms={preRollMs} onChange={(ms) => setRecording({ preRollMs: ms })} />
        </Row>
        <Row name="A selected range">
          <span className="w-[206px]">
            <Segments
              label="What a selected range means"
              value={punch ? "punch" : "free"}
              options={[
                ["punch", "punched into"],
                ["free", "ignored"],
              ]}
              onChange={(v) => setRecording({ punch: v === "punch" })}
            />
          </span>
        </Row>
        <div className="flex flex-col gap-2 border-weft border-t pt-2.5">
          <p className="font-semibold">The stand-in</p>
          <p className="text-ink-2 text-sm">An input that needs no device: somebody who plays along, a little differently in each round.</p>
          <Row name="It plays">
            <select
              aria-label="What the stand-in plays"
              className="h-8 w-[206px] rounded-md border border-line bg-raised px-1.5"
              value={standIn.kind}
              onChange={(e) => setRecording({ standIn: { ...standIn, kind: e.target.value as StandInKind } })}
            >
              {STAND_INS.map((kind) => (
                <option key={kind} value={kind}>
                  {SOUNDS[kind]}
                </option>
              ))}
            </select>
          </Row>
          <Row name="Way through it">
            <Field
              label="Delay of the stand-in in ms"
              className="w-[92px]"
              unit="ms"
              value={String(standIn.delayMs)}
              onCommit={(t) => {
                const n = numberFrom(t, 0, MOST_DELAY_MS, "delay in ms");
                if (n !== null) setRecording({ standIn: { ...standIn, delayMs: n } });
              }}
            />
          </Row>
        </div>
        <p className="border-weft border-t pt-2.5 text-ink-2 text-sm">
          <kbd className="num">{keyOf("track-arm")}</kbd> arms the chosen tracks · <kbd className="num">{keyOf("record")}</kbd> records · with the
          loop on, each round is a take · what a track is recorded from stands in its inspector
        </p>
      </div>
    </Popover>
  );
}
