import type { Edit } from "@wet-thread/core/edit/registry";

/** A step that the server has not confirmed yet. */
export interface UnsentStep {
  readonly key: string;
  readonly name: string;
  readonly edits: readonly Edit[];
}

const PREFIX = "wet-thread unsent ";

/**
 * The unsent steps of this tab, kept by the browser in case the tab closes. Each tab holds a lock of its own name while it lives, so
 * that a later one knows which leftovers belong to nobody.
 */
export class Unsent {
  private readonly key: string;

  constructor(private readonly versionId: string) {
    this.key = `${PREFIX}${versionId} ${crypto.randomUUID()}`;
    void navigator.locks?.request(this.key, () => new Promise(() => {}));
  }

  save(steps: readonly UnsentStep[]): void {
    try {
      if (steps.length) localStorage.setItem(this.key, JSON.stringify(steps));
      else localStorage.removeItem(this.key);
    } catch {
      // The browser's store is full or shut: the steps still live in the tab.
    }
  }

  /** Takes over the steps that closed tabs left behind. */
  async adopt(): Promise<UnsentStep[]> {
    const held = new Set((await navigator.locks?.query())?.held?.map((l) => l.name));
    const left: UnsentStep[] = [];
    const keys = Array.from({ length: localStorage.length }, (_, i) => localStorage.key(i) ?? "");
    for (const key of keys) {
      if (!key.startsWith(`${PREFIX}${this.versionId} `) || key === this.key || held.has(key)) continue;
      left.push(...(JSON.parse(localStorage.getItem(key) ?? "[]") as UnsentStep[]));
      localStorage.removeItem(key);
    }
    this.save(left);
    return left;
  }
}
