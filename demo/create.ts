// Makes the demo project through the API, as a person's own program would.
import { setTimeout as wait } from "node:timers/promises";
import { encodeFrames, wavHeader } from "@wet-thread/core/media/wav/writer";
import { demoSteps, PROJECT } from "./project";
import { type Made, makeRecordings } from "./sound";

/** A recording as 24-bit WAV; speech keeps its own rate. */
export function wavBytes({ channels, rate }: Made): Uint8Array<ArrayBuffer> {
  const header = wavHeader(channels.length, rate, "i24", channels[0].length);
  const data = encodeFrames(channels, channels[0].length, "i24", null);
  const out = new Uint8Array(header.length + data.length);
  out.set(header);
  out.set(data, header.length);
  return out;
}

export async function call<T>(url: string, init?: RequestInit): Promise<T> {
  // A server that is open to the network asks for the token of the one who started it.
  const token = process.env.WET_THREAD_TOKEN;
  const answer = await fetch(url, token ? { ...init, headers: { authorization: `Bearer ${token}` } } : init);
  if (!answer.ok) throw new Error(`${url}: ${answer.status} ${await answer.text()}`);
  return (await answer.json()) as T;
}

export interface Project {
  id: string;
  versions: { id: string; name: string; revision: number }[];
}

let struck: Promise<{ name: string; bytes: Uint8Array<ArrayBuffer> }[]> | null = null;
/** The recordings as files. They are the same each time, so one process makes them once. */
function recordingFiles(): NonNullable<typeof struck> {
  struck ??= makeRecordings().then((list) => list.map((made) => ({ name: made.name, bytes: wavBytes(made) })));
  return struck;
}

/** Creates the demo and returns its ids. */
export async function createDemo(base: string, name = PROJECT.name): Promise<{ projectId: string; versionId: string }> {
  const post = (body: unknown): RequestInit => ({ method: "POST", body: JSON.stringify(body) });
  // Made first: a connection must not lie idle while the looms are being struck.
  const recordings = await recordingFiles();
  const project = await call<Project>(`${base}/api/projects`, post({ name, sampleRate: PROJECT.sampleRate, version: PROJECT.version }));
  const ids = new Map<string, string>();
  for (const made of recordings) {
    const source = await call<{ id: string }>(`${base}/api/projects/${project.id}/sources?name=${encodeURIComponent(`${made.name}.wav`)}`, {
      method: "POST",
      body: made.bytes,
    });
    ids.set(made.name, source.id);
  }
  const lengths = new Map<string, number>();
  for (const [made, id] of ids) {
    for (;;) {
      const source = await call<{ status: string; length: number; error: string | null }>(`${base}/api/sources/${id}`);
      if (source.status === "failed") throw new Error(`${made}: ${source.error}`);
      if (source.status === "ready") {
        lengths.set(made, source.length);
        break;
      }
      await wait(100);
    }
  }
  const versionId = project.versions[0].id;
  let { revision } = await call<{ revision: number }>(`${base}/api/versions/${versionId}`);
  for (const { name: step, edits } of demoSteps(ids, lengths)) {
    ({ revision } = await call<{ revision: number }>(`${base}/api/versions/${versionId}/edits`, post({ revision, name: step, edits })));
  }
  return { projectId: project.id, versionId };
}
