import { newKey } from "@wet-thread/core/edit/registry";
import { toast } from "sonner";
import { create } from "zustand";
import { ask, ServerError, type SourceRow } from "@/state/api";
import { session } from "@/state/session";
import { view } from "@/state/view";
import { freshTrackId, type Layable, layEdits } from "@/timeline/gestures/lay-gesture";

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

/** An answer that may be no JSON: a proxy's page, or one that broke off. */
function answerOf(text: string): SourceRow & { message?: string } {
  try {
    return JSON.parse(text || "{}");
  } catch {
    return {} as SourceRow;
  }
}

/** Sends one file; resolves to the recording, or null when it was refused or cancelled (and says why). */
function upload(file: File): Promise<SourceRow | null> {
  const id = newKey();
  return new Promise((resolve) => {
    const request = new XMLHttpRequest();
    const end = (row: SourceRow | null): void => {
      change(id, null);
      resolve(row);
    };
    useUploads.setState(({ list }) => ({ list: [...list, { id, name: file.name, sent: 0, size: file.size, cancel: () => request.abort() }] }));
    request.upload.onprogress = (e) => change(id, { sent: e.loaded });
    request.onabort = () => {
      toast(`${file.name}: cancelled. Nothing was kept of it.`);
      end(null);
    };
    request.onerror = () => {
      toast.error(`${file.name}: the server does not answer. Nothing was kept of it; try again.`);
      end(null);
    };
    request.onload = () => {
      const body = answerOf(request.responseText);
      if (request.status === 201) return end(body);
      toast.error(`${file.name}: ${body.message ?? `the server answered ${request.status}.`}`, { duration: 10_000 });
      end(null);
    };
    request.open("POST", `/api/projects/${session().store.getState().project.id}/sources?name=${encodeURIComponent(file.name)}`);
    request.send(file);
  });
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
    layOut(ready, at.trackId, position);
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
