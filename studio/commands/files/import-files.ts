import { newKey } from "@wet-thread/core/edit/registry";
import { ENDINGS } from "@wet-thread/core/media/formats";
import { create } from "zustand";
import { ask, ServerError, type SourceRow } from "@/state/sync/api";
import { restFor } from "@/state/sync/retry";
import { isOpen, type Session, session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { freshTrackId, type Layable, layEdits } from "@/timeline/gestures/lay-gesture";
import { zoomToWhole } from "../edit/actions";

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

type Refused = (name: string, why: string) => void;

/** Tells what could not be taken in: of one file by itself, of several together, by reason, until it has been read. */
function refusals(): Refused {
  const id = newKey();
  const byReason = new Map<string, string[]>();
  return (name, why) => {
    byReason.set(why, [...(byReason.get(why) ?? []), name]);
    const all = [...byReason].map(([reason, names]) => `${names.join(", ")}: ${reason}`);
    const count = [...byReason.values()].reduce((n, names) => n + names.length, 0);
    if (count === 1) toast.error(all[0], { id, duration: 10_000 });
    else
      toast.error(`${count} files were not taken in.`, {
        id,
        description: all.join("\n"),
        duration: Number.POSITIVE_INFINITY,
        cancel: { label: "Close", onClick: () => {} },
      });
  };
}

/**
 * Sends one file in parts; a line that breaks goes on where it was, as soon as the server answers again. Resolves to the recording, or null
 * when it was refused or cancelled (and says why).
 */
async function upload(file: File, projectId: string, refused: Refused): Promise<SourceRow | null> {
  const id = newKey();
  const off = new AbortController();
  useUploads.setState(({ list }) => ({ list: [...list, { id, name: file.name, sent: 0, size: file.size, cancel: () => off.abort() }] }));
  let begun: Begun | null = null;
  try {
    let offset = 0;
    for (let tries = 0; !off.signal.aborted; ) {
      try {
        if (!begun) begun = await ask<Begun>(`/api/projects/${projectId}/uploads`, { json: { name: file.name, size: file.size } });
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
    refused(file.name, (error as Error).message);
    return null;
  } finally {
    change(id, null);
  }
}

const AWAY_MS = 1000;

/** Waits until a recording has been read, or asks something; null when it could not be. */
async function whenReady(id: string, refused: Refused): Promise<SourceRow | null> {
  for (;;) {
    const now = await ask<SourceRow>(`/api/sources/${id}`).catch((error: ServerError) => error);
    if (now instanceof ServerError) {
      // Taken away meanwhile; a server that is only away is waited for, and the recording laid when it is ready after all.
      if (!now.passing && now.status < 500) return null;
      await new Promise((wake) => setTimeout(wake, AWAY_MS));
      continue;
    }
    if (now.status === "failed") {
      refused(now.name, now.error ?? "It could not be read.");
      return null;
    }
    if (now.status === "ready" || now.status === "asking") return now;
    await new Promise((wake) => setTimeout(wake, 150));
  }
}

/** What the notice is known by that asks about a recording; it may be answered among the sources too. */
const question = (id: string): string => `asking ${id}`;

/** Answers what is asked about a recording whose file holds less than it says. Resolves to it where what is there is kept. */
export async function answerSource(id: string, keep: boolean): Promise<SourceRow | null> {
  const own = session();
  try {
    const row = await ask<SourceRow>(`/api/sources/${id}/answer`, { json: { keep } });
    toast.dismiss(question(id));
    await own.refreshSources();
    return keep ? row : null;
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(error.message);
    return null;
  }
}

/** How several recordings are laid: one after another on one track, each on a track of its own, or each at the time that its file tells. */
export type Arrangement = "row" | "stack" | "own";

/** Waits until a version that is at work knows a recording that the server has. */
async function known(own: Session, row: SourceRow): Promise<void> {
  await own.refreshSources();
  for (let i = 0; i < 50 && !own.doc.sources.has(row.id); i++) {
    await new Promise((wake) => setTimeout(wake, 50));
    await own.refreshSources();
  }
}

/** What is told of a recording besides its samples, in words. */
function tellNotes(row: SourceRow): void {
  if (row.notes.length > 0) toast(`${row.name}: ${row.notes.join(" ")}`, { duration: 10_000 });
}

/**
 * Imports files one after the other and lays each where it was dropped: on a lane at a position, or on a new track of its own; several as
 * they are arranged. Work goes on meanwhile, in another version too: they are laid in the one for which they were chosen. One that is cut short
 * asks, and is laid when what is there is wanted.
 */
export async function importFiles(
  files: readonly File[],
  at: { trackId: string | null; position: number },
  arrangement: Arrangement = at.trackId ? "row" : "stack",
): Promise<void> {
  let { position, trackId } = at;
  const own = session();
  const done = own.hold();
  const lay = async (row: SourceRow): Promise<void> => {
    await known(own, row);
    tellNotes(row);
    const first = own.doc.clips.size === 0;
    const told = arrangement === "own" && row.timeReference !== null ? row.timeReference : null;
    const fresh = freshTrackId();
    layOut(row, arrangement === "row" || files.length === 1 ? trackId : null, told ?? position, fresh, own);
    if (!isOpen(own)) toast(`${row.name} was laid in ${own.store.getState().versionName}, for which it was chosen.`, { duration: 6000 });
    else if (first) zoomToWhole();
    if (arrangement !== "row") return;
    trackId ??= fresh;
    position += row.length;
  };
  const refused = refusals();
  for (const file of files) {
    const row = await upload(file, own.store.getState().project.id, refused);
    const read = row && (await whenReady(row.id, refused));
    if (!read) continue;
    if (read.status === "ready") {
      await lay(read);
      continue;
    }
    await own.refreshSources();
    // Until it is answered the version waits for it.
    const answered = own.hold();
    toast(read.name, {
      id: question(read.id),
      description: read.asking?.message ?? "",
      duration: Number.POSITIVE_INFINITY,
      action: {
        label: "Keep",
        onClick: () =>
          void answerSource(read.id, true)
            .then((kept) => kept && lay(kept))
            .finally(answered),
      },
      cancel: { label: "Don't", onClick: () => void answerSource(read.id, false).finally(answered) },
    });
  }
  done();
}

/** Imports files as new lanes of a take stack, each from the same place on. */
export async function importAsTakes(files: readonly File[], bundleId: string, position: number): Promise<void> {
  const refused = refusals();
  const own = session();
  const done = own.hold();
  for (const file of files) {
    const row = await upload(file, own.store.getState().project.id, refused);
    const read = row && (await whenReady(row.id, refused));
    if (!read) continue;
    await known(own, read);
    tellNotes(read);
    if (read.status === "ready")
      own.edit([{ type: "add-lane", bundleId, sourceId: read.id, at: Math.max(0, Math.round(position)) }], `Add ${read.name}`);
    else toast(`${read.name}: ${read.asking?.message ?? ""}`, { description: "It waits among the sources.", duration: 10_000 });
  }
  done();
}

/** Lays a recording on a track, or on a new one. */
export function layOut(source: Layable, trackId: string | null, position: number, fresh = freshTrackId(), own = session()): void {
  own.edit(layEdits(own.doc, source, trackId, position, fresh), `Add ${source.name}`);
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
  input.accept = [...ENDINGS, "audio/*"].join(",");
  // In the page until it is answered: one that nothing holds on to may be swept away while the dialog is open, and the answer with it.
  input.hidden = true;
  input.onchange = () => {
    input.remove();
    arrange([...(input.files ?? [])], { trackId: null, position: view().playhead });
  };
  input.oncancel = () => input.remove();
  document.body.append(input);
  input.click();
}

/** Several files that wait for it to be said how they are laid. */
export const useArranging = create<{ readonly files: readonly File[]; readonly at: { trackId: string | null; position: number } | null }>(() => ({
  files: [],
  at: null,
}));

/** Imports files; of several it is asked first how they are to be laid. */
export function arrange(files: readonly File[], at: { trackId: string | null; position: number }): void {
  if (files.length === 0) return;
  if (files.length === 1) void importFiles(files, at);
  else useArranging.setState({ files, at });
}

/** The files of what was dropped, those in folders too; of folders only what looks like sound by its ending, as they hold all sorts of things. */
export async function filesDropped(data: DataTransfer): Promise<File[]> {
  const entries = [...data.items].flatMap((item) => item.webkitGetAsEntry?.() ?? []);
  if (!entries.some((e) => e.isDirectory)) return [...data.files];
  const files: File[] = [];
  let passed = 0;
  const visit = async (entry: FileSystemEntry, inFolder: boolean): Promise<void> => {
    if (entry.isDirectory) {
      const reader = (entry as FileSystemDirectoryEntry).createReader();
      // It gives a hundred at a time, and nothing when there is no more.
      for (;;) {
        const more = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject)).catch(() => []);
        if (more.length === 0) return;
        for (const one of more.sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }))) await visit(one, true);
      }
    }
    if (inFolder && !ENDINGS.some((e) => entry.name.toLowerCase().endsWith(e))) {
      passed++;
      return;
    }
    const file = await new Promise<File | null>((resolve) => (entry as FileSystemFileEntry).file(resolve, () => resolve(null)));
    if (file) files.push(file);
  };
  for (const entry of entries) await visit(entry, false);
  if (passed > 0)
    toast(
      `${passed} ${passed === 1 ? "file" : "files"} in the folder ${passed === 1 ? "is" : "are"} no sound and ${passed === 1 ? "was" : "were"} passed over.`,
    );
  return files;
}
