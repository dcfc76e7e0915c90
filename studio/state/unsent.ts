import { type Edit, newKey } from "@wet-thread/core/edit/registry";
import { z } from "zod";

/** A step that the server has not confirmed yet. */
export interface UnsentStep {
  readonly key: string;
  readonly name: string;
  readonly edits: readonly Edit[];
  /** Steps in a row with the same are one for undo and redo. */
  readonly row?: string;
}

const Kept = z.array(
  z.object({ key: z.string(), name: z.string(), edits: z.array(z.looseObject({ type: z.string() })), row: z.string().optional() }),
);
const PREFIX = "wet-thread unsent ";

/**
 * The unsent steps of this tab, kept by the browser in case the tab closes. Each tab holds a lock of its own name while it lives, so
 * that a later one knows which leftovers belong to nobody.
 */
export class Unsent {
  private readonly key: string;

  constructor(private readonly versionId: string) {
    this.key = `${PREFIX}${versionId} ${newKey()}${newKey()}`;
    void navigator.locks?.request(this.key, () => new Promise(() => {}));
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

  /** Takes over the steps that closed tabs left behind; `broken` tells whether some could not be read. */
  async adopt(): Promise<{ steps: UnsentStep[]; broken: boolean }> {
    const steps: UnsentStep[] = [];
    let broken = false;
    try {
      const held = new Set((await navigator.locks?.query())?.held?.map((l) => l.name));
      const keys = Array.from({ length: localStorage.length }, (_, i) => localStorage.key(i) ?? "");
      for (const key of keys) {
        if (!key.startsWith(`${PREFIX}${this.versionId} `) || key === this.key || held.has(key)) continue;
        const read = parsed(localStorage.getItem(key) ?? "[]");
        if (read) steps.push(...read);
        else broken = true;
        localStorage.removeItem(key);
      }
    } catch {
      // The browser keeps nothing here: there is nothing to take over.
    }
    this.save(steps);
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
