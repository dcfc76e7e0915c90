import { setTimeout as wait } from "node:timers/promises";
import { decodeFrames } from "@wet-thread/core/media/pcm";
import { memorySource } from "@wet-thread/core/media/source";
import { openWav } from "@wet-thread/core/media/wav/format";
import { type ExportEncoding, encodeFrames, wavHeader } from "@wet-thread/core/media/wav/writer";

/** A small client of the API for the tests. */
export const BASE = process.env.WET_THREAD_URL ?? "http://127.0.0.1:4310";

export interface Answer<T = Record<string, unknown>> {
  readonly status: number;
  readonly body: T;
}

/** Asks a server at an address that may change: `call` gives what it answers, `must` only what is well. Bytes and texts go as they are, all else as JSON. */
export function talkTo(base: () => string) {
  // biome-ignore lint/suspicious/noExplicitAny: tests look into answers of every form
  const call = async <T = any>(method: string, path: string, body?: unknown, headers: Record<string, string> = {}): Promise<Answer<T>> => {
    const raw = body instanceof Uint8Array || typeof body === "string";
    const answer = await fetch(`${base()}${path}`, {
      method,
      headers,
      body: body === undefined ? undefined : raw ? (body as BodyInit) : JSON.stringify(body),
    });
    const text = await answer.text();
    return { status: answer.status, body: (text ? JSON.parse(text) : {}) as T };
  };
  // biome-ignore lint/suspicious/noExplicitAny: as above
  const must = async <T = any>(method: string, path: string, body?: unknown): Promise<T> => {
    const answer = await call<T>(method, path, body);
    if (answer.status >= 300) throw new Error(`${path}: ${answer.status} ${JSON.stringify(answer.body)}`);
    return answer.body;
  };
  return { call, must };
}
export const api = talkTo(() => BASE).call;

/** Asks until `done` says yes; fails after a minute. */
export async function until<T>(look: () => Promise<T>, done: (value: T) => boolean): Promise<T> {
  for (let i = 0; i < 600; i++) {
    const value = await look();
    if (done(value)) return value;
    await wait(100);
  }
  throw new Error("It did not come about within a minute.");
}

export function wavFile(channels: readonly Float32Array[], encoding: ExportEncoding = "f32", rate = 48_000): Uint8Array<ArrayBuffer> {
  const head = wavHeader(channels.length, rate, encoding, channels[0].length);
  const data = encodeFrames(channels, channels[0].length, encoding, null);
  const out = new Uint8Array(head.length + data.length);
  out.set(head);
  out.set(data, head.length);
  return out;
}

export async function readWav(bytes: Uint8Array): Promise<Float32Array[]> {
  const info = await openWav(memorySource(bytes));
  const out = Array.from({ length: info.channels }, () => new Float32Array(info.frames));
  decodeFrames(bytes.subarray(info.dataOffset, info.dataOffset + info.frames * info.frameBytes), info, out);
  return out;
}

export async function newProject(sampleRate = 48_000): Promise<{ projectId: string; versionId: string }> {
  const { body } = await api("POST", "/api/projects", { name: "Test", sampleRate, tempo: 92, meter: "4/4" });
  return { projectId: body.id, versionId: body.versions[0].id };
}

/** Uploads a file and waits for it to be read. */
// biome-ignore lint/suspicious/noExplicitAny: as above
export async function addSource(projectId: string, bytes: Uint8Array<ArrayBuffer>, name = "x.wav"): Promise<any> {
  const { status, body } = await api("POST", `/api/projects/${projectId}/sources?name=${encodeURIComponent(name)}`, bytes);
  if (status !== 201) throw new Error(`${status} ${JSON.stringify(body)}`);
  return (
    await until(
      () => api("GET", `/api/sources/${body.id}`),
      (a) => a.body.status === "ready" || a.body.status === "failed",
    )
  ).body;
}

/** Renders and fetches a version or a part of it. */
export async function exportWav(versionId: string, request: Record<string, unknown> = {}): Promise<Uint8Array> {
  const { status, body } = await api("POST", `/api/versions/${versionId}/exports`, { encoding: "float32", ...request });
  if (status !== 202) throw new Error(`${status} ${JSON.stringify(body)}`);
  const done = await until(
    () => api("GET", `/api/exports/${body.id}`),
    (a) => a.body.status === "ready" || a.body.status === "failed",
  );
  if (done.body.status === "failed") throw new Error(done.body.error);
  return new Uint8Array(await (await fetch(`${BASE}/api/exports/${body.id}/file`)).arrayBuffer());
}

/** Whether sound is the same to the last bit: told in one word, since a report of a million numbers takes longer than comparing them. */
export const same = (a: Float32Array, b: Float32Array): boolean => a.length === b.length && a.every((v, i) => v === b[i]);

/** Repeatable noise. */
export function noise(length: number, seed: number): Float32Array {
  let s = seed >>> 0 || 1;
  return Float32Array.from({ length }, () => {
    s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
    return (s / 2 ** 31 - 1) * 0.5;
  });
}

/** Someone who listens to a project's events. Tells when it has heard certain words since it last began to listen anew, and all that was said until then. */
export async function listenTo(base: string, projectId: string) {
  const stop = new AbortController();
  const answer = await fetch(`${base}/api/projects/${projectId}/events`, { signal: stop.signal });
  const reader = (answer.body as ReadableStream<Uint8Array>)
    .pipeThrough(new TextDecoderStream() as never)
    .getReader() as ReadableStreamDefaultReader<string>;
  let said = "";
  return {
    async hears(words: string): Promise<string> {
      while (!said.includes(words)) {
        const { value, done } = await reader.read();
        if (done) throw new Error(`The events ended before ${words} was heard.`);
        said += value;
      }
      const all = said;
      said = "";
      return all;
    },
    stop: () => stop.abort(),
  };
}

/** A part of a recording to be kept, mono and plain. */
export const aPart = (over: Record<string, unknown> = {}) => ({
  id: "p",
  name: "Stroke",
  length: 5000,
  offset: 700,
  color: null,
  gain: -3,
  pan: 0,
  mute: false,
  fadeIn: { length: 0, shape: "power", bend: 0 },
  fadeOut: { length: 0, shape: "power", bend: 0 },
  sync: null,
  ...over,
});
