"use client";
import clsx from "clsx";
import { Repeat, X } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { runCommand } from "@/commands/commands";
import { endHeard, loopStack, useHeard } from "@/commands/edit/comping";
import { type Stack, stackMeant } from "@/commands/edit/takes";
import { filesDropped, importAsTakes } from "@/commands/files/import-files";
import { keyOf } from "@/commands/keys";
import { setSettings, useSettings } from "@/state/kept/settings";
import { useSession } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { HEAD_WIDTH } from "@/timeline/model/geometry";
import { snapped } from "@/timeline/model/snapping";
import { Button } from "@/ui/controls";
import { Lane } from "./Lane";
import type { Window } from "./LaneWave";
import { dyeOf, ROW } from "./lane-look";
import { PickStrip } from "./PickStrip";

/** Rows that are seen at once. */
const MOST_ROWS = 6;
/** Rows beyond them on both sides that are there too, so that keys find the next one. */
const SPARE_ROWS = 2;
/** The lanes of a take stack, under the timeline and on its scale: swept over to pick, heard by themselves, named, rated, hidden, moved. */
export function TakesPanel() {
  const doc = useSession((s) => s.doc);
  const start = useView((v) => v.start);
  const per = useView((v) => v.samplesPerPixel);
  const width = useView((v) => v.width);
  // What is meant hangs on these.
  useView((v) => v.clipIds);
  useView((v) => v.trackId);
  useView((v) => v.range);
  const meant = stackMeant();
  const [hiddenToo, setHiddenToo] = useState(false);
  const byRating = useSettings((s) => s.takesByRating);
  const [over, setOver] = useState(false);
  const [first, setFirst] = useState(0);
  // The stack stays while something else is selected for a moment.
  const last = useRef<string | null>(null);
  if (meant) last.current = meant.id;
  const kept = last.current === null ? undefined : doc.bundles.get(last.current);
  const stack = (meant ?? (kept?.takes ? kept : null)) as Stack | null;
  const seen = useMemo<Window>(() => ({ start, per, width }), [start, per, width]);
  useEffect(() => endHeard, []);
  if (!stack)
    return (
      <section aria-label="Takes" className="flex shrink-0 items-center gap-3 border-line border-t px-3 py-2 text-ink-2">
        <span className="min-w-0 flex-1">No take stack is selected. Select takes that lie over each other on a track and stack them.</span>
        <Button onClick={() => runCommand("stack")}>Stack the selected clips</Button>
        <Close />
      </section>
    );
  const track = doc.tracks.get(stack.trackId);
  const numbers = new Map(stack.takes.map((l, i) => [l.id, i + 1]));
  const visible = stack.takes.filter((l) => hiddenToo || !l.hidden);
  const shown = byRating ? [...visible].sort((a, b) => b.rating - a.rating) : visible;
  const hidden = stack.takes.filter((l) => l.hidden).length;
  return (
    <section
      aria-label="Takes"
      className={clsx("flex shrink-0 flex-col border-t bg-surface", over ? "border-indigo" : "border-line")}
      onDragOver={(e) => {
        if (![...e.dataTransfer.types].includes("Files")) return;
        e.preventDefault();
        e.stopPropagation();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        e.stopPropagation();
        setOver(false);
        const box = e.currentTarget.getBoundingClientRect();
        const wanted = start + Math.max(0, e.clientX - box.left - HEAD_WIDTH) * per;
        const { position } = snapped(doc, { wanted, origin: 0 });
        void filesDropped(e.dataTransfer).then((files) => importAsTakes(files, stack.id, position));
      }}
    >
      <div className="flex h-8 items-center gap-3 px-3 text-sm">
        <h2 className="truncate font-semibold">{stack.name}</h2>
        <span className="truncate text-ink-2">Sweep over a lane to pick; a click picks its phrase; recordings are dropped here as new takes.</span>
        <span className="ml-auto" />
        {hidden > 0 && (
          <button type="button" className="rounded-sm px-1.5 text-ink-2 hover:bg-weft" onClick={() => setHiddenToo(!hiddenToo)}>
            {hiddenToo ? "Hide the hidden" : `${hidden} hidden`}
          </button>
        )}
        <LoopButton stack={stack} />
        <button
          type="button"
          className="shrink-0 rounded-sm px-1.5 hover:bg-weft"
          title="Two bars before it are heard, and just the phrase at the playhead is recorded, as another take"
          onClick={() => runCommand("takes-record-phrase")}
        >
          Record the phrase
        </button>
        <button
          type="button"
          aria-pressed={byRating}
          className="shrink-0 rounded-sm px-1.5 hover:bg-weft aria-pressed:bg-weft aria-pressed:font-semibold"
          title="The best first; what is picked, and the numbers of the takes, stay"
          onClick={() => setSettings({ takesByRating: !byRating })}
        >
          By rating
        </button>
        <button
          type="button"
          className="shrink-0 rounded-sm px-1.5 hover:bg-weft"
          title="What is picked becomes plain clips"
          onClick={() => runCommand("flatten")}
        >
          Flatten
        </button>
        <button
          type="button"
          className="shrink-0 rounded-sm px-1.5 hover:bg-weft"
          title="Every lane on a track of its own"
          onClick={() => runCommand("open-out")}
        >
          Open out
        </button>
        <Close />
      </div>
      <PickStrip stack={stack} numbers={numbers} seen={seen} dye={track?.color ?? "indigo"} />
      <ul
        className="overflow-y-auto border-line border-t"
        style={{ maxHeight: ROW * MOST_ROWS }}
        aria-label="Lanes"
        onScroll={(e) => setFirst(Math.max(0, Math.floor(e.currentTarget.scrollTop / ROW) - SPARE_ROWS))}
      >
        {/* Only rows near to what is seen are there: of fifty takes most are not. */}
        <div aria-hidden style={{ height: Math.min(first, shown.length) * ROW }} />
        {shown.slice(first, first + MOST_ROWS + 2 * SPARE_ROWS + 1).map((lane) => (
          <Lane
            key={lane.id}
            stack={stack}
            lane={lane}
            number={numbers.get(lane.id) ?? 0}
            seen={seen}
            dye={dyeOf(stack, lane, track?.color ?? "indigo")}
          />
        ))}
        <div aria-hidden style={{ height: Math.max(0, shown.length - first - MOST_ROWS - 2 * SPARE_ROWS - 1) * ROW }} />
      </ul>
    </section>
  );
}

function LoopButton({ stack }: { stack: Stack }) {
  const on = useHeard((h) => h.stackId === stack.id && h.laneId === null);
  return (
    <button
      type="button"
      aria-pressed={on}
      className="inline-flex shrink-0 items-center gap-1 rounded-sm px-1.5 hover:bg-weft aria-pressed:bg-weft aria-pressed:font-semibold"
      title={`Round and round, as it is picked: ${keyOf("take-1")}, ${keyOf("take-2")} … pick a take for the phrase that is heard, for the next round`}
      onClick={loopStack}
    >
      <Repeat size={13} aria-hidden /> Round and round
    </button>
  );
}

function Close() {
  return (
    <button
      type="button"
      aria-label="Hide the takes"
      title={`Hide the takes (${keyOf("takes")})`}
      className="rounded-sm p-1 hover:bg-weft"
      onClick={() => setSettings({ takes: false })}
    >
      <X size={15} />
    </button>
  );
}
