import { isWithoutBars, keptModes, type Modes } from "@wet-thread/core/model/modes";
import { ask, ServerError } from "../sync/api";
import { restFor } from "../sync/retry";
import type { Session } from "../sync/session";
import { MODES, modesOf, NEW_MODES, setSettings, settings, useSettings } from "./settings";

/** What is not said yet: turning at a mode's field is told once it rests. */
const REST_MS = 400;
const NAME = "wet-thread modes unsent";

/** Modes that the server has not been told, by version: they outlive the page, and a server that is away. */
function unsent(): Record<string, Modes> {
  try {
    return JSON.parse(localStorage.getItem(NAME) ?? "{}") as Record<string, Modes>;
  } catch {
    return {};
  }
}
function keepUnsent(versionId: string, modes: Modes | null): void {
  const { [versionId]: _, ...others } = unsent();
  localStorage.setItem(NAME, JSON.stringify(modes ? { ...others, [versionId]: modes } : others));
}

/** Modes of versions as this page knows them: newer than what it was told of a version when its project was opened. */
const known = new Map<string, Modes>();
const sending = new Set<string>();

async function send(versionId: string): Promise<void> {
  if (sending.has(versionId)) return;
  sending.add(versionId);
  for (let tries = 0; ; ) {
    const modes = unsent()[versionId];
    if (!modes) break;
    try {
      await ask(`/api/versions/${versionId}`, { method: "PATCH", json: { modes } });
      if (JSON.stringify(unsent()[versionId]) === JSON.stringify(modes)) keepUnsent(versionId, null);
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      // A version that is gone needs none.
      if (error.status === 404 || error.status === 410) keepUnsent(versionId, null);
      else await restFor(tries++);
    }
  }
  sending.delete(versionId);
}

/**
 * Puts the modes of a version in force, and keeps them with it as they are changed, until the returned function is called. A version that has
 * none begins with the usual ones.
 */
export function followModes({ store }: Session): () => void {
  const { versionId, project } = store.getState();
  const kept = project.versions.find((v) => v.id === versionId)?.modes;
  setSettings({ ...NEW_MODES, ...keptModes(unsent()[versionId] ?? known.get(versionId) ?? kept) });
  void send(versionId);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const note = (): void => {
    clearTimeout(timer);
    timer = undefined;
    void send(versionId);
  };
  const stop = useSettings.subscribe((now, before) => {
    if (MODES.every((key) => now[key] === before[key])) return;
    const modes = modesOf(settings());
    known.set(versionId, modes);
    keepUnsent(versionId, modes);
    clearTimeout(timer);
    timer = setTimeout(note, REST_MS);
  });
  // Once a tempo is laid there are bars, and they are shown.
  const stopTime = store.subscribe(({ doc }, { doc: before }) => {
    const same = doc.piece.tempo === before.piece.tempo || JSON.stringify(doc.piece.tempo) === JSON.stringify(before.piece.tempo);
    if (same || !isWithoutBars(settings())) return;
    const { family, step, rulers, readOuts } = NEW_MODES;
    setSettings({ family, step, rulers, readOuts });
  });
  return () => {
    stop();
    stopTime();
    if (timer) note();
  };
}
