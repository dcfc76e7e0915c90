"use client";
import { FIRST_KEY } from "@wet-thread/core/model/slices";
import { formatLength } from "@wet-thread/core/time/format";
import clsx from "clsx";
import { X } from "lucide-react";
import { type KeyboardEvent, useEffect, useRef } from "react";
import { BANK, covered, handOver, layBy, layNotes, listenToMidi, PAD_KEYS, saveKit, setSlice, strike, takeDown, useKit } from "@/commands/listen/kit";
import { transport } from "@/engine/transport";
import { useSession } from "@/state/sync/session";
import { setView, useView } from "@/state/view/view";
import { Button, Field, Segments } from "@/ui/controls";
import { FloatingForm } from "../frame/Panel";
import { numberFrom, signed } from "../inspector/parts";

/** Pads lie in rows as the letters do. */
const ROW_STARTS: ReadonlySet<number> = new Set(["KeyQ", "KeyA", "KeyZ"].map((code) => PAD_KEYS.indexOf(code)));
/** How a pad was lit is seen for so long, in ms. */
const LIT_MS = 130;

/** Slices on keys: struck by the pointer, the computer's keys or MIDI, tuned one by one, taken down as clips, saved as an instrument. */
export function KitPanel() {
  const { by, slices, count, ready, bank, chosen, taking, onGrid, trackId, midi } = useKit();
  const doc = useSession((s) => s.doc);
  const playing = useView((v) => v.playing);
  const box = useRef<HTMLFormElement>(null);
  const close = (): void => setView({ panel: null });
  useEffect(() => {
    box.current?.focus();
    return () => {
      layNotes();
      transport().setKit([]);
    };
  }, []);
  // What is edited is heard from the next stroke on.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the piece stands for what its clips sound like
  useEffect(handOver, [doc]);
  // Stopping ends taking down.
  useEffect(() => {
    if (!playing) layNotes();
  }, [playing]);
  const press = (e: KeyboardEvent<HTMLFormElement>): void => {
    const typing = e.target instanceof HTMLInputElement || e.target instanceof HTMLSelectElement;
    if (typing || e.ctrlKey || e.metaKey || e.altKey) return;
    const pad = PAD_KEYS.indexOf(e.code);
    const banks = Math.ceil(slices.length / BANK);
    if (pad >= 0) {
      if (!e.repeat) strike(bank * BANK + pad);
    } else if (e.code === "Space" && !(e.target instanceof HTMLButtonElement)) transport().toggle();
    else if (e.code === "PageDown") useKit.setState({ bank: Math.min(banks - 1, bank + 1) });
    else if (e.code === "PageUp") useKit.setState({ bank: Math.max(0, bank - 1) });
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const shown = slices.slice(bank * BANK, (bank + 1) * BANK);
  const slice = slices[chosen];
  return (
    <FloatingForm
      ref={box}
      tabIndex={-1}
      label="Slice kit"
      onClose={close}
      onKeyDown={press}
      onSubmit={(e) => e.preventDefault()}
      className="absolute bottom-3 left-1/2 z-20 w-[640px] max-w-[calc(100%-16px)] -translate-x-1/2 rounded-lg border border-line bg-raised p-3 shadow-float outline-none"
    >
      <div className="mb-2 flex items-center gap-3">
        <h2 className="font-semibold">Slice kit</h2>
        <span className="w-[190px]">
          <Segments
            label="What lies on a key"
            value={by}
            options={[
              ["hits", "hit to hit"],
              ["clips", "whole clips"],
            ]}
            onChange={layBy}
          />
        </span>
        <span className="num text-ink-2 text-sm" data-testid="kit-count" data-ready={ready}>
          {slices.length === count ? `${count} ${count === 1 ? "slice" : "slices"}` : `${slices.length} of ${count} slices`}
          {ready < slices.length && `, ${ready} ready`}
        </span>
        {slices.length > BANK && (
          <span className="num ml-auto flex items-center gap-1 text-sm">
            {Array.from({ length: Math.ceil(slices.length / BANK) }, (_, b) => b).map((b) => (
              <button
                key={b}
                type="button"
                aria-label={`Slices ${b * BANK + 1} to ${Math.min(slices.length, (b + 1) * BANK)} on the keys`}
                aria-pressed={bank === b}
                className="h-7 rounded-md border border-line px-2 aria-pressed:bg-ink aria-pressed:text-raised"
                onClick={() => useKit.setState({ bank: b })}
              >
                {b + 1}
              </button>
            ))}
          </span>
        )}
        <button
          type="button"
          aria-label="Close"
          className={clsx("rounded-sm p-0.5 hover:bg-weft", slices.length <= BANK && "ml-auto")}
          onClick={close}
        >
          <X size={15} />
        </button>
      </div>
      <div className="grid grid-cols-10 gap-1.5 max-[700px]:grid-cols-5">
        {shown.map((s, i) => (
          <Pad
            key={`${s.clipId} ${s.start}`}
            first={ROW_STARTS.has(i)}
            pad={bank * BANK + i}
            letter={PAD_KEYS[i].slice(3)}
            length={shortly((s.end - s.start) / doc.sampleRate)}
          />
        ))}
      </div>
      {slice && (
        <div className="mt-3 flex flex-wrap items-end gap-2.5 border-weft border-t pt-2.5">
          <div className="min-w-0 flex-1 basis-[140px]">
            <p className="truncate font-semibold">{slice.name || "Slice"}</p>
            <p className="num text-ink-2 text-sm">
              key {FIRST_KEY + chosen} · {formatLength(slice.end - slice.start, doc.sampleRate)}
            </p>
          </div>
          <div className="w-[104px]">
            <span className="mb-1 block text-ink-2 text-sm">Gain</span>
            <Field
              label="Gain of the slice"
              unit="dB"
              value={signed(slice.gain, 1)}
              onCommit={(t) => {
                const v = numberFrom(t, -48, 24, "gain in dB");
                if (v !== null) setSlice(chosen, { gain: v });
              }}
            />
          </div>
          <div className="w-[126px]">
            <span className="mb-1 block text-ink-2 text-sm">Pitch and speed</span>
            <Field
              label="Pitch of the slice in semitones"
              unit="semitones"
              value={signed(slice.cents / 100, slice.cents % 100 === 0 ? 0 : 2)}
              onCommit={(t) => {
                const v = numberFrom(t, -24, 24, "number of semitones");
                if (v !== null) setSlice(chosen, { cents: Math.round(v * 100) });
              }}
            />
          </div>
          <Button aria-pressed={slice.reverse} onClick={() => setSlice(chosen, { reverse: !slice.reverse })}>
            {slice.reverse ? "Backwards" : "Forwards"}
          </Button>
        </div>
      )}
      <div className="mt-3 flex flex-wrap items-center gap-2 border-weft border-t pt-2.5">
        <Button look={taking ? "main" : "plain"} aria-pressed={taking !== null} disabled={slices.length === 0} onClick={takeDown}>
          {taking ? `Lay ${taking.length} ${taking.length === 1 ? "note" : "notes"}` : "Take notes down"}
        </Button>
        <select
          aria-label="Track for the notes"
          className="h-8 w-[140px] rounded-md border border-line bg-raised px-1.5"
          value={trackId !== null && doc.tracks.has(trackId) ? trackId : ""}
          onChange={(e) => useKit.setState({ trackId: e.target.value || null })}
        >
          <option value="">on a new track</option>
          {doc.piece.trackOrder.map((id) => (
            <option key={id} value={id}>
              on {doc.tracks.get(id)?.name}
            </option>
          ))}
        </select>
        <span className="w-[164px]">
          <Segments
            label="Where notes are laid"
            value={onGrid ? "grid" : "played"}
            options={[
              ["grid", "on the grid"],
              ["played", "as played"],
            ]}
            onChange={(v) => useKit.setState({ onGrid: v === "grid" })}
          />
        </span>
        <span className="ml-auto flex gap-2">
          <Button aria-pressed={midi === "on"} onClick={() => void listenToMidi()}>
            {midi === "on" ? "MIDI is heard" : "MIDI"}
          </Button>
          <Button disabled={slices.length === 0} onClick={() => void saveKit()}>
            Save as SFZ
          </Button>
        </span>
      </div>
    </FloatingForm>
  );
}

/** A length in the room of a pad. */
const shortly = (seconds: number): string => (seconds < 1 ? `${Math.round(seconds * 1000)} ms` : `${seconds.toFixed(2)} s`);

/** One key: struck by a press; it lights up when it is struck in any way. */
function Pad({ pad, first, letter, length }: { pad: number; first: boolean; letter: string; length: string }) {
  const slice = useKit((k) => k.slices[pad]);
  const chosen = useKit((k) => k.chosen === pad);
  const struck = useKit((k) => (k.struck.pad === pad ? k.struck.count : 0));
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    if (struck === 0) return;
    const at = button.current;
    at?.setAttribute("data-lit", "");
    // It goes out by itself, whatever is struck meanwhile.
    setTimeout(() => at?.removeAttribute("data-lit"), LIT_MS);
  }, [struck]);
  if (!slice) return null;
  const there = covered(slice);
  return (
    <button
      ref={button}
      type="button"
      aria-label={`Strike ${slice.name || "slice"}, key ${letter}`}
      aria-pressed={chosen}
      disabled={!there}
      title={there ? slice.name : "The clip no longer covers this slice"}
      className={clsx(
        "flex h-[52px] touch-none flex-col items-start justify-between rounded-md border border-line bg-surface px-1.5 py-1 text-left data-[lit]:bg-weld/40 disabled:opacity-40 aria-pressed:border-ink",
        first && "col-start-1",
      )}
      onPointerDown={(e) => {
        if (e.button === 0) strike(pad);
      }}
      onClick={(e) => e.detail === 0 && strike(pad)}
    >
      <span className="font-semibold">{letter}</span>
      <span className="num w-full truncate text-ink-2 text-xs">{length}</span>
    </button>
  );
}
