import { recordingSettings, setRecording } from "@/state/kept/recording";
import { ask, ServerError } from "@/state/sync/api";
import { restFor } from "@/state/sync/retry";
import { toast } from "@/state/words/toast";
import type { RecordingRow } from "./sound-sender";

const LOCK = "wet-thread recording ";
const LOOK_MS = 200;
/** A page that was not heard of for so long, in seconds, has gone if nobody holds its lock. */
const GONE_SECONDS = 2;
/** One elsewhere may only be slow, or on a bad line: it is told of after so long. */
const LEFT_SECONDS = 20;

const pause = (ms: number): Promise<void> => new Promise((wake) => setTimeout(wake, ms));

const forget = (id: string): void => setRecording({ begun: recordingSettings().begun.filter((b) => b !== id) });

/** So many recordings that were begun are remembered: those that ended while no page looked are never seen to end. */
const MOST_BEGUN = 50;

/** Says, to other pages of this browser, that the page that makes a recording lives. Returns how that ends: with it done, or to be looked after by another. */
export function holdRecording(id: string): (done: boolean) => void {
  setRecording({ begun: [...recordingSettings().begun.filter((b) => b !== id), id].slice(-MOST_BEGUN) });
  let letGo = (): void => {};
  void navigator.locks?.request(LOCK + id, () => new Promise<void>((done) => (letGo = done)));
  return (done) => {
    letGo();
    if (done) forget(id);
  };
}

/** Waits until what was recorded has been taken in; where that fails it is said, and can be tried again. Returns null then. */
export async function takenIn(id: string): Promise<RecordingRow | null> {
  for (let tries = 0; ; ) {
    try {
      const row = await ask<RecordingRow>(`/api/recordings/${id}`);
      if (row.status === "ready") return row;
      if (row.status === "failed") {
        tellFailed(row);
        return null;
      }
      tries = 0;
      await pause(LOOK_MS);
    } catch (error) {
      if (!(error instanceof ServerError) || !error.passing) throw error;
      await restFor(tries++);
    }
  }
}

function tellFailed({ id, error }: RecordingRow): void {
  const again = async (): Promise<void> => {
    try {
      await ask(`/api/recordings/${id}/retry`, { method: "POST" });
      const row = await takenIn(id);
      if (row) forget(id);
      if (row) toast(row.error ?? "The recording was taken in.", { id: `recording ${id}` });
    } catch (problem) {
      toast.error((problem as Error).message, { id: `recording ${id}` });
    }
  };
  toast.error(`The recording could not be taken in: ${error}`, {
    id: `recording ${id}`,
    duration: Number.POSITIVE_INFINITY,
    description: "What came is kept on the server.",
    action: { label: "Try again", onClick: () => void again() },
  });
}

/** Has a recording that was left taken in as far as it came, and says so. */
async function takeIn(row: RecordingRow, sampleRate: number): Promise<void> {
  try {
    await ask(`/api/recordings/${row.id}/end`, { json: {} });
    forget(row.id);
    const taken = row.frames > 0 && (await takenIn(row.id));
    if (taken)
      toast.info(`A page was closed while it recorded: ${(row.frames / sampleRate).toFixed(1)} s of it were kept.`, {
        id: `recording ${row.id}`,
        description: `${named(row)} ${row.tracks.length === 1 ? "is" : "are"} in Sources, with the time at which it began.`,
        duration: 15_000,
      });
  } catch (error) {
    toast.error(`A recording that was left could not be taken in: ${(error as Error).message}`, { id: `recording ${row.id}` });
  }
}
const named = (row: RecordingRow): string => row.tracks.map((t) => t.name).join(", ");

/** Tells of what a page elsewhere had recorded that is not heard of: it may come back with the rest, or be taken in as it is. */
function tellLeft(row: RecordingRow, silentSeconds: number, sampleRate: number): void {
  const silent = silentSeconds < 120 ? `${Math.round(silentSeconds)} s` : `${Math.round(silentSeconds / 60)} minutes`;
  toast.info(`A page elsewhere recorded ${(row.frames / sampleRate).toFixed(1)} s on ${named(row)}, and was not heard of for ${silent}.`, {
    id: `recording ${row.id}`,
    description: "It may come back with what it has not sent yet; after eleven minutes what came is taken in by itself.",
    duration: Number.POSITIVE_INFINITY,
    action: { label: "Take in what came", onClick: () => void takeIn(row, sampleRate) },
  });
}

/** Takes in what pages of this browser that are gone had sent, tells what others left, and offers what could not be taken in. */
export async function takeInLeft(versionId: string, sampleRate: number): Promise<void> {
  let rows: (RecordingRow & { readonly silentSeconds: number })[];
  try {
    rows = (await ask<{ recordings: typeof rows }>(`/api/versions/${versionId}/recordings`)).recordings;
  } catch {
    // They are looked for again with the next page; nothing is lost.
    return;
  }
  const own = new Set(recordingSettings().begun);
  const held = new Set((await navigator.locks?.query())?.held?.map((l) => l.name));
  for (const row of rows) {
    if (held.has(LOCK + row.id)) continue;
    const silent = row.status === "recording" ? row.silentSeconds : 0;
    if (!own.has(row.id)) {
      if (silent >= LEFT_SECONDS && row.frames > 0) tellLeft(row, silent, sampleRate);
    } else if (row.status === "failed") tellFailed(row);
    else if (silent >= GONE_SECONDS) await takeIn(row, sampleRate);
  }
}
