import { saveFile } from "../media/save-file";
import { view } from "../view/view";
import { toast } from "./toast";

/** A step that came from the server without being this tab's. */
export interface NamedStep {
  readonly name: string;
  readonly kind: "edit" | "undo" | "redo" | "show";
}

const MOST_NAMED = 3;
const counted = (n: number): string => (n === 1 ? "One step" : `${n} steps`);

/** Whoever is in the midst of something is told that the piece changed beneath it. */
export function tellMissed(steps: readonly NamedStep[], own: number): void {
  const names = steps.slice(0, MOST_NAMED).map((s) => `${s.kind === "undo" ? "undoing " : s.kind === "redo" ? "redoing " : ""}“${s.name}”`);
  const more = steps.length - names.length;
  toast.info(`${names.join(", ")}${more > 0 ? ` and ${more} more` : ""} came from elsewhere meanwhile.`, {
    id: "missed",
    description: own === 0 ? undefined : own === 1 ? "Your own step goes on top." : `Your own ${own} steps go on top.`,
    duration: 6000,
  });
}

export function tellLost(name: string, why: string): void {
  toast.error(`“${name}” no longer fits after changes made elsewhere: ${why}`, { duration: 12_000, description: "Everything else is kept." });
}

export function tellRefused(name: string, why: string): void {
  toast.error(`“${name}” was refused: ${why}`, { duration: 12_000, description: "Everything else is kept." });
}

/** The version that is open was deleted elsewhere. */
export function tellDeleted(name: string): void {
  toast.warning(`The version ${name} was deleted in another tab.`, {
    id: "deleted",
    duration: Number.POSITIVE_INFINITY,
    description: "It can be put back for a month; what is edited here meanwhile is kept until then.",
  });
}

export function tellAdopted(count: number): void {
  toast.info(`${counted(count)} that had not been sent ${count === 1 ? "is" : "are"} back and will be sent now.`);
}

/** The server answers, but does not take a step: it waits, and what was done after it waits with it. */
export function tellStuck(name: string, why: string, { again, drop }: { again: () => void; drop: () => void }): void {
  toast.error(`“${name}” can't be saved just now: ${why}`, {
    id: "stuck",
    duration: Number.POSITIVE_INFINITY,
    description: "It and what is done after it are kept here and tried again.",
    action: { label: "Try now", onClick: again },
    cancel: { label: "Drop it", onClick: drop },
  });
}
export const tellFree = (): void => toast.dismiss("stuck");

export const tellWalked = (direction: "undo" | "redo", name: string): void =>
  toast(`${direction === "undo" ? "Undone" : "Done again"}: ${name}`, { id: "history", duration: 1600 });

export function tellNotKept(): void {
  toast.warning("Steps are not kept on this computer: the browser's store is full or shut.", {
    id: "not-kept",
    duration: 12_000,
    description: "They are saved on the server as always. Only if it is away, don't close this tab.",
  });
}

/** `broken` is what was found, as it is. */
export function tellUnreadable(broken: readonly string[]): void {
  toast.error("Steps that an earlier tab had left could not be read.", {
    id: "unreadable",
    description: "The piece is as the server has it. They are kept in this browser.",
    duration: Number.POSITIVE_INFINITY,
    action: {
      label: "Save them as a file",
      onClick: () => saveFile("unread steps.json", new Blob([broken.join("\n")], { type: "application/json" })),
    },
    cancel: { label: "Leave it", onClick: () => {} },
  });
}

export function tellUnread(unread: readonly { readonly kind: string; readonly why: string }[]): void {
  toast.error(
    `Of this version ${counted(unread.length).replace("step", "thing").toLowerCase()} could not be read and ${unread.length === 1 ? "is" : "are"} left out.`,
    {
      id: "unread",
      duration: Number.POSITIVE_INFINITY,
      description: `${unread[0].kind}: ${unread[0].why}. Undo takes back the step that did it.`,
    },
  );
}

/** True, having said so, while the view is locked. */
export function refusedByLock(): boolean {
  const { locked } = view();
  if (locked) toast("The view is locked, so nothing was changed. Lift the lock to edit.", { id: "lock" });
  return locked;
}
