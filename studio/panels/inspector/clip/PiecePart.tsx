"use client";
import { type Document, documentEnd, timebaseOf } from "@wet-thread/core/model/document";
import { isWithoutBars } from "@wet-thread/core/model/modes";
import { formatClock } from "@wet-thread/core/time/format";
import { runCommand } from "@/commands/commands";
import { keyOf } from "@/commands/keys";
import { useSettings } from "@/state/kept/settings";
import { useMedia } from "@/state/media/use-media";
import { useSession } from "@/state/sync/session";
import { counted } from "@/state/words/counted";
import { countSeams } from "@/timeline/model/seam-classes";
import { Button } from "@/ui/controls";
import { useWhenIdle } from "@/ui/use-when-idle";

/** The tempo and meter that the piece begins with, and that they change, where they do. */
function tempoWords(doc: Document): string {
  const { tempo, meter } = timebaseOf(doc);
  const bpm = Math.round(tempo.bpmAt(0) * 100) / 100;
  const { numerator, denominator } = meter.meterAt(0);
  const changes = doc.piece.tempo.length + doc.piece.meter.length - 2;
  return `${bpm} BPM, ${numerator}/${denominator}${changes > 0 ? `, ${counted(changes, "change")}` : ""}`;
}

/** With nothing selected: the piece, and how to select something. */
export function PiecePart() {
  const doc = useSession((s) => s.doc);
  const name = useSession((s) => s.versionName);
  const done = useSession((s) => s.unsent.at(-1)?.name ?? s.history.findLast((h) => h.state === "done")?.name);
  // Counting every seam of a large piece comes after what is worked on.
  const settled = useWhenIdle(doc);
  useMedia();
  const seams = settled && countSeams(settled);
  const without = useSettings(isWithoutBars);
  const rows: readonly (readonly [string, string])[] = [
    ["Length", formatClock(documentEnd(doc), doc.sampleRate)],
    ["Rate", `${doc.sampleRate / 1000} kHz`],
    ["Tempo", without ? "none" : tempoWords(doc)],
    ["Tracks", counted(doc.tracks.size, "track")],
    ["Clips", counted(doc.clips.size, "clip")],
    ["Seams", seams ? `${seams.raw + seams.smooth + seams.blended}, ${seams.raw} of them raw` : "being counted"],
    ["Last done", done ?? "nothing yet"],
  ];
  return (
    <section aria-label="The piece">
      <p className="truncate font-semibold">{name}</p>
      <dl className="mt-2 grid grid-cols-[auto_minmax(0,1fr)] gap-x-4 gap-y-1.5">
        {rows.map(([what, words]) => (
          <div key={what} className="contents">
            <dt className="text-ink-2">{what}</dt>
            <dd className="num text-right">{words}</dd>
          </div>
        ))}
      </dl>
      {seams && seams.raw > 0 && (
        <Button className="mt-3 w-full" title={`Every seam in a table (${keyOf("seam-check")})`} onClick={() => runCommand("seam-check")}>
          Look at the raw seams
        </Button>
      )}
      <p className="mt-4 border-line border-t pt-3 text-ink-2">
        No clip is selected. Click a clip to see it here; drag along it to make a range, or its name strip to move it.
      </p>
    </section>
  );
}
