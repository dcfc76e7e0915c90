import { type Edit, newKey } from "@wet-thread/core/edit/registry";
import { z } from "zod";
import type { Walk } from "./past";

/** A step that the server has not confirmed yet. */
export interface UnsentStep {
  readonly key: string;
  readonly name: string;
  readonly edits: readonly Edit[];
  /** Steps in a row with the same are one for undo and redo. */
  readonly row?: string;
  /** A walk through the history in place of edits. */
  readonly walk?: Walk;
}

const Kept = z.array(
  z.object({
    key: z.string(),
    name: z.string(),
    edits: z.array(z.looseObject({ type: z.string() })),
    row: z.string().optional(),
    walk: z
      .object({
        direction: z.enum(["undo", "redo", "both"]),
        to: z.number().optional(),
        of: z.union([z.object({ revision: z.number() }), z.object({ key: z.string() })]).optional(),
      })
      .optional(),
  }),
);
const PREFIX = "wet-thread unsent ";
/** Steps that could not be read are kept under this: a later release, or somebody who looks, may make sense of them. */
const UNREAD = "wet-thread unread ";
const CHANNEL = "wet-thread unsent";
/** Without locks tabs are asked whether they live; they have so long to answer. */
const ANSWER_MS = 500;

const entryOf = (key: string): { versionId: string } | null => {
  const [versionId, tab] = key.startsWith(PREFIX) ? key.slice(PREFIX.length).split(" ") : [];
  return versionId && tab ? { versionId } : null;
};

const storedKeys = (): string[] => Array.from({ length: localStorage.length }, (_, i) => localStorage.key(i) ?? "");

/** Keys that tabs which still live hold, among some. */
async function held(keys: readonly string[]): Promise<ReadonlySet<string>> {
  if (keys.length === 0) return new Set();
  if (navigator.locks) return new Set((await navigator.locks.query()).held?.map((l) => l.name ?? ""));
  // A browser gives pages over plain http no locks: whoever lives answers.
  if (typeof BroadcastChannel === "undefined") return new Set(keys);
  const channel = new BroadcastChannel(CHANNEL);
  const alive = new Set<string>();
  channel.onmessage = ({ data }) => data?.alive && alive.add(data.alive);
  channel.postMessage({ who: keys });
  await new Promise((wake) => setTimeout(wake, ANSWER_MS));
  channel.close();
  return alive;
}

/** Versions of which tabs that are closed left steps behind. */
export async function leftoverVersions(): Promise<string[]> {
  try {
    const keys = storedKeys().filter((key) => entryOf(key));
    const alive = await held(keys);
    return [...new Set(keys.flatMap((key) => (alive.has(key) ? [] : (entryOf(key)?.versionId ?? []))))];
  } catch {
    // The browser keeps nothing here.
    return [];
  }
}

/**
 * The unsent steps of this tab, kept by the browser in case the tab closes. Each tab holds a lock of its own name while it lives, so
 * that a later one knows which leftovers belong to nobody.
 */
export class Unsent {
  private readonly key: string;

  constructor(private readonly versionId: string) {
    this.key = `${PREFIX}${versionId} ${newKey()}${newKey()}`;
    if (navigator.locks) {
      void navigator.locks.request(this.key, () => new Promise<void>((letGo) => (this.letGo = letGo)));
    } else if (typeof BroadcastChannel !== "undefined") {
      const channel = new BroadcastChannel(CHANNEL);
      channel.onmessage = ({ data }) => data?.who?.includes(this.key) && channel.postMessage({ alive: this.key });
      this.letGo = () => channel.close();
    }
  }

  private letGo: () => void = () => {};
  /** From here on what is kept is anybody's. */
  close(): void {
    this.letGo();
  }

  /** Keeps steps; false where the browser's store is full or shut: they still live in the tab. */
  save(steps: readonly UnsentStep[]): boolean {
    try {
      if (steps.length) localStorage.setItem(this.key, JSON.stringify(steps));
      else localStorage.removeItem(this.key);
      return true;
    } catch {
      return false;
    }
  }

  /**
   * Takes over the steps that closed tabs left behind. What could not be read comes back as it is, `broken`, and stays in the browser's store under
   * another name.
   */
  async adopt(): Promise<{ steps: UnsentStep[]; broken: string[] }> {
    const steps: UnsentStep[] = [];
    const broken: string[] = [];
    try {
      const keys = storedKeys().filter((key) => key !== this.key && entryOf(key)?.versionId === this.versionId);
      const alive = await held(keys);
      for (const key of keys) {
        if (alive.has(key)) continue;
        const text = localStorage.getItem(key) ?? "[]";
        const read = parsed(text);
        if (read) steps.push(...read);
        else {
          broken.push(text);
          localStorage.setItem(`${UNREAD}${key.slice(PREFIX.length)}`, text);
          localStorage.removeItem(key);
          continue;
        }
        // First they are this tab's own: one that breaks in between leaves them twice, and each is done once by its key.
        this.save(steps);
        localStorage.removeItem(key);
      }
    } catch {
      // The browser keeps nothing here: there is nothing to take over.
    }
    return { steps, broken };
  }
}

function parsed(text: string): UnsentStep[] | null {
  try {
    return Kept.parse(JSON.parse(text));
  } catch {
    return null;
  }
}
