import { setTimeout as wait } from "node:timers/promises";
import { encodeFrames, wavHeader } from "@wet-thread/core/media/wav/writer";

/** The server that scripts/bench.mjs started, and its process, whose memory is measured. */
export const BASE = process.env.WET_THREAD_URL ?? "http://127.0.0.1:4310";

export async function call<T>(path: string, json?: unknown): Promise<T> {
  const answer = await fetch(BASE + path, json === undefined ? {} : { method: "POST", body: JSON.stringify(json) });
  const body = (await answer.json()) as T;
  if (!answer.ok) throw new Error(`${path}: ${answer.status} ${JSON.stringify(body)}`);
  return body;
}

/** Asks until `done` says yes. */
export async function until<T>(path: string, done: (value: T) => boolean): Promise<T> {
  for (;;) {
    const value = await call<T>(path);
    if (done(value)) return value;
    await wait(50);
  }
}

export async function newProject(name: string, sampleRate: number): Promise<{ projectId: string; versionId: string }> {
  const project = await call<{ id: string; versions: { id: string }[] }>("/api/projects", { name, sampleRate });
  return { projectId: project.id, versionId: project.versions[0].id };
}

/** A 16-bit recording of so many seconds that is made as it is sent: soft noise with a hit each second. Gives its bytes a piece at a time. */
function* longWav(seconds: number, channels: number, rate: number): Generator<Uint8Array> {
  yield wavHeader(channels, rate, "i16", seconds * rate);
  let s = 12345;
  const second = Array.from({ length: channels }, () => new Float32Array(rate));
  for (const channel of second) {
    for (let i = 0; i < rate; i++) {
      s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
      channel[i] = (s / 2 ** 31 - 1) * (0.05 + 0.6 * Math.exp(-i / 2000));
    }
  }
  const bytes = encodeFrames(second, rate, "i16", null);
  for (let i = 0; i < seconds; i++) yield bytes;
}

/** Bytes of such a recording. */
export const longWavBytes = (seconds: number, channels: number, rate: number): number =>
  wavHeader(channels, rate, "i16", seconds * rate).length + seconds * rate * channels * 2;

/** Sends a long recording as a stream and returns its id once the server has all of it. */
export async function sendLong(projectId: string, seconds: number, channels: number, rate: number, name: string): Promise<string> {
  const pieces = longWav(seconds, channels, rate);
  const body = new ReadableStream<Uint8Array>({
    pull(controller) {
      const { value, done } = pieces.next();
      if (done) controller.close();
      else controller.enqueue(value);
    },
  });
  const init = { method: "POST", body, duplex: "half" } as RequestInit;
  const answer = await fetch(`${BASE}/api/projects/${projectId}/sources?name=${name}.wav`, init);
  const made = (await answer.json()) as { id: string; message?: string };
  if (!answer.ok) throw new Error(made.message);
  return made.id;
}

export async function whenRead(sourceId: string): Promise<void> {
  const { status, error } = await until<{ status: string; error: string | null }>(
    `/api/sources/${sourceId}`,
    (s) => s.status === "ready" || s.status === "failed",
  );
  if (status !== "ready") throw new Error(error ?? status);
}
