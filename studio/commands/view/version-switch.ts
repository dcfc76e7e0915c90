import { timebaseOf } from "@wet-thread/core/model/document";
import { transport } from "@/engine/transport";
import { recorderState } from "@/state/kept/recording";
import { ServerError } from "@/state/sync/api";
import { useComparing } from "@/state/sync/comparing";
import { session } from "@/state/sync/session";
import { addressOf } from "@/state/view/address";
import { setView, view } from "@/state/view/view";
import { toast } from "@/state/words/toast";

/** Unsent edits are waited for this long. */
const MOST_WAIT_MS = 3000;

/** Where each version was left, by id. */
const left = new Map<string, string>();

/** Opens another version in this page; set by the editor. */
let opens: (versionId: string) => void = () => {};
export function onSwitch(open: (versionId: string) => void): void {
  opens = open;
}

/** Bar place and tempo-free moment of what is to be found again in the other version. */
interface Carried {
  readonly tick: number;
  readonly playing: boolean;
  readonly here: boolean;
  /** It is compared with the version that is left. */
  readonly compared: string | null;
}
let carried: Carried | null = null;

/**
 * Goes to another version of the project: as it was left, or at the same bar. What plays goes on playing there. Unsent edits of this one are
 * sent first; where the server is away they are kept and sent later.
 */
export async function switchVersion(versionId: string, here = false): Promise<void> {
  const { versionId: now, project } = session().store.getState();
  if (versionId === now) return;
  if (recorderState().phase !== "off")
    return void toast("Something is being recorded: stop first, then go to the other version.", { id: "recording" });
  const playing = view().playing;
  const at = playing ? transport().position() : view().playhead;
  left.set(now, `#${addressOf(view())}`);
  carried = { tick: timebaseOf(session().doc).tempo.ticksAt(at), playing, here, compared: view().panel === "compare" ? now : null };
  if (playing) transport().stop();
  // While the server is away they stay with their version.
  const away = (error: unknown): void => {
    if (!(error instanceof ServerError)) throw error;
  };
  await Promise.race([session().settled().catch(away), new Promise((wake) => setTimeout(wake, MOST_WAIT_MS))]);
  const hash = here ? `#${addressOf({ ...view(), clipIds: new Set(), range: null, seamId: null })}` : (left.get(versionId) ?? "");
  History.prototype.pushState.call(window.history, window.history.state, "", `/p/${project.id}?version=${versionId}${hash}`);
  opens(versionId);
}

/** What is to be done once the other version is open: the playhead at the same bar, and on it plays. */
export function arrive(): void {
  const one = carried;
  carried = null;
  if (!one) return;
  const { tempo } = timebaseOf(session().doc);
  const at = Math.max(0, Math.round(tempo.samplesAt(one.tick)));
  if (one.here || one.playing) setView({ playhead: at });
  if (one.playing) void transport().play(at);
  if (one.compared) {
    useComparing.setState({ other: one.compared, rows: null });
    setView({ panel: "compare" });
  }
}

/** The next or the previous version in the project's order. */
export function stepVersion(by: 1 | -1, here: boolean): void {
  const { project, versionId } = session().store.getState();
  const { versions } = project;
  if (versions.length < 2) return void toast("This project has one version. A new one is made in the menu at its name.", { id: "version" });
  const at = versions.findIndex((v) => v.id === versionId);
  // While two are compared it goes to and fro between them.
  const compared = here && view().panel === "compare" ? versions.find((v) => v.id === useComparing.getState().other) : undefined;
  const next = compared ?? versions[(at + by + versions.length) % versions.length];
  void switchVersion(next.id, here);
  if (recorderState().phase === "off") toast(next.name, { id: "version", duration: 1500 });
}
