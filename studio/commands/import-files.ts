import { newKey } from "@wet-thread/core/edit/registry";
import { toast } from "sonner";
import { create } from "zustand";
import { ask, ServerError, type SourceRow } from "@/state/api";
import { restFor } from "@/state/retry";
import { session } from "@/state/session";
import { view } from "@/state/view";
import { freshTrackId, type Layable, layEdits } from "@/timeline/gestures/lay-gesture";
import { zoomToWhole } from "./actions";

/** A file on its way to the server. */
export interface Upload {
  readonly id: string;
  readonly name: string;
  readonly sent: number;
  readonly size: number;
  readonly cancel: () => void;
}

export const useUploads = create<{ readonly list: readonly Upload[] }>(() => ({ list: [] }));

const change = (id: string, to: Partial<Upload> | null): void =>
  useUploads.setState(({ list }) => ({ list: to ? list.map((u) => (u.id === id ? { ...u, ...to } : u)) : list.filter((u) => u.id !== id) }));

interface Begun {
  readonly id: string;
  readonly offset: number;
  readonly part: number;
}

/** What came of sending one part: the answer, or null where the line broke. */
type Sent = { readonly status: number; readonly body: { offset?: number; source?: SourceRow; message?: string } } | null;

function sendPart(address: string, part: Blob, progress: (sent: number) => void, off: AbortSignal): Promise<Sent> {
  return new Promise((resolve) => {
    const request = new XMLHttpRequest();
    const stop = (): void => request.abort();
    const end = (sent: Sent): void => {
      off.removeEventListener("abort", stop);
      resolve(sent);
    };
    off.addEventListener("abort", stop);
    request.upload.onprogress = (e) => progress(e.loaded);
    request.onabort = () => end(null);
    request.onerror = () => end(null);
    request.onload = () => {
      try {
        end({ status: request.status, body: JSON.parse(request.responseText || "{}") });
      } catch {
        // A proxy's page, or an answer that broke off.
        end(null);
      }
    };
    request.open("PATCH", address);
    request.send(part);
  });
}

/**
 * Sends one file in parts; a line that breaks goes on where it was, as soon as the server answers again. Resolves to the recording, or null
 * when it was refused or cancelled (and says why).
 */
async function upload(file: File): Promise<SourceRow | null> {
  const id = newKey();
  const off = new AbortController();
  useUploads.setState(({ list }) => ({ list: [...list, { id, name: file.name, sent: 0, size: file.size, cancel: () => off.abort() }] }));
  let begun: Begun | null = null;
  try {
    const { project } = session().store.getState();
    let offset = 0;
    for (let tries = 0; !off.signal.aborted; ) {
      try {
        if (!begun) begun = await ask<Begun>(`/api/projects/${project.id}/uploads`, { json: { name: file.name, size: file.size } });
        else if (tries > 0) ({ offset } = await ask<Begun>(`/api/uploads/${begun.id}`));
      } catch (error) {
        if (!(error instanceof ServerError)) throw error;
        // All of it came: only the answer to the last part was lost.
        if (begun && error.status === 409) return await ask<SourceRow>(`/api/sources/${begun.id}`);
        if (!error.passing) throw error;
        await restFor(tries++);
        continue;
      }
      const base = offset;
      const part = file.slice(offset, offset + begun.part);
      const sent = await sendPart(`/api/uploads/${begun.id}?offset=${offset}`, part, (n) => change(id, { sent: base + n }), off.signal);
      if (sent?.status === 200) {
        tries = 0;
        offset = sent.body.offset ?? offset;
        change(id, { sent: offset });
        if (sent.body.source) return sent.body.source;
      } else if (sent && sent.status !== 409 && sent.status < 500) {
        throw new ServerError(sent.status, sent.body.message ?? `the server answered ${sent.status}.`, {});
      } else if (!off.signal.aborted) await restFor(tries++);
    }
    if (begun) await ask(`/api/sources/${begun.id}`, { method: "DELETE" }).catch(() => {});
    toast(`${file.name}: cancelled. Nothing was kept of it.`);
    return null;
  } catch (error) {
    toast.error(`${file.name}: ${(error as Error).message}`, { duration: 10_000 });
    return null;
  } finally {
    change(id, null);
  }
}

const AWAY_MS = 1000;

/** Waits until a recording has been read; null when it could not be. */
async function whenReady(row: SourceRow): Promise<SourceRow | null> {
  for (;;) {
    const now = await ask<SourceRow>(`/api/sources/${row.id}`).catch((error: ServerError) => error);
    if (now instanceof ServerError) {
      // Taken away meanwhile; a server that is only away is waited for, and the recording laid when it is ready after all.
      if (!now.passing && now.status < 500) return null;
      await new Promise((wake) => setTimeout(wake, AWAY_MS));
      continue;
    }
    if (now.status === "failed") {
      toast.error(`${now.name}: ${now.error}`, { duration: 10_000 });
      return null;
    }
    if (now.status === "ready") return now;
    await new Promise((wake) => setTimeout(wake, 150));
  }
}

/**
 * Imports files one after the other and lays each where it was dropped: on a lane at a position, or on a new track of its own. Work goes
 * on meanwhile.
 */
export async function importFiles(files: readonly File[], at: { trackId: string | null; position: number }): Promise<void> {
  let { position } = at;
  for (const file of files) {
    const row = await upload(file);
    const ready = row && (await whenReady(row));
    if (!ready) continue;
    await session().refreshSources();
    // The list may still be a moment behind.
    for (let i = 0; i < 50 && !session().doc.sources.has(ready.id); i++) {
      await new Promise((wake) => setTimeout(wake, 50));
      await session().refreshSources();
    }
    const first = session().doc.clips.size === 0;
    layOut(ready, at.trackId, position);
    if (first) zoomToWhole();
    if (at.trackId) position += ready.length;
  }
}

/** Lays a recording on a track, or on a new one. */
export function layOut(source: Layable, trackId: string | null, position: number): void {
  session().edit(layEdits(session().doc, source, trackId, position, freshTrackId()), `Add ${source.name}`);
  if (source.channels > 2)
    toast.info(`${source.name} has ${source.channels} channels: they lie in pairs on ${Math.ceil(source.channels / 2)} linked tracks.`, {
      duration: 8000,
    });
}

/** Opens the browser's file dialog; what is chosen is laid at the playhead, each on a track of its own. */
export function chooseFiles(): void {
  const input = document.createElement("input");
  input.type = "file";
  input.multiple = true;
  input.accept = ".wav,.wave,.bwf,.rf64,audio/wav,audio/x-wav";
  input.onchange = () => void importFiles([...(input.files ?? [])], { trackId: null, position: view().playhead });
  input.click();
}
