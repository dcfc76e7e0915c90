import type { StoredChange } from "@wet-thread/core/edit/stored-change";

/** An edit that counts: done, or undone and still to be done again. */
export interface PastEdit {
  /** Null while the server has not said that it has it. */
  readonly revision: number | null;
  readonly key: string | null;
  readonly row: string | null;
  readonly name: string;
  readonly done: boolean;
  /** What it changed, worked out when it is asked for; null where this page does not know it. */
  readonly changes: (() => readonly StoredChange[]) | null;
}

/** The edit that a walk takes back, or does again, first. */
export type Named = { readonly revision: number } | { readonly key: string };

/** A walk through the history: a step back or forward, or to just after the edit of a revision (`both`: whichever way that is). */
export interface Walk {
  readonly direction: "undo" | "redo" | "both";
  readonly to?: number;
  readonly of?: Named;
}

export const nameOfEdit = ({ revision, key }: PastEdit): Named | undefined => (revision !== null ? { revision } : key !== null ? { key } : undefined);

/** What is known of an edit or a walk that the server has. */
export interface KnownStep {
  readonly kind: "edit" | "undo" | "redo" | "show";
  readonly revision: number;
  readonly key: string | null;
  readonly row: string | null;
  readonly name: string;
  readonly target: number | null;
  readonly changes: readonly StoredChange[];
}

const later = (a: number | null, than: number): boolean => a === null || a > than;

/**
 * The edits of a version that count, oldest first: done ones, then those that can be done again. With it a page knows what a walk comes to
 * before the server has answered. Immutable.
 */
export class Past {
  constructor(
    readonly edits: readonly PastEdit[] = [],
    /** Whether there are others before them. */
    private readonly earlier = true,
    /** Whether all that can be done again is among them: what is undone before this page knew it is not. */
    private readonly undoneKnown = false,
  ) {}

  /** After an edit; what was undone can't be done again any more. */
  edited(edit: Omit<PastEdit, "done">): Past {
    return new Past([...this.edits.filter((e) => e.done), { ...edit, done: true }], this.earlier, true);
  }

  /** After a step that the server has. */
  known(step: KnownStep): Past {
    const { kind, revision, key, row, name, changes, target } = step;
    if (kind === "show") return this;
    if (kind === "edit") return this.edited({ revision, key, row, name, changes: () => changes });
    const reached = target ?? 0;
    const walked = (e: PastEdit): boolean =>
      kind === "undo" ? e.done && !!e.revision && e.revision >= reached : !e.done && (e.revision ?? 0) <= reached;
    return new Past(
      this.edits.map((e) => (walked(e) ? { ...e, done: kind === "redo" } : e)),
      this.earlier,
      this.undoneKnown && (kind === "redo" || this.edits.some((e) => e.revision === reached)),
    );
  }

  /** As the server lists it; what is known of changes stays known. */
  listed(rows: readonly { revision: number; name: string; row: string | null; state: "done" | "undone" }[], earlier: number): Past {
    const known = new Map(this.edits.map((e) => [e.revision, e]));
    return new Past(
      rows.map(({ revision, name, row, state }) => {
        const { key = null, changes = null } = known.get(revision) ?? {};
        return { revision, key, row, name, done: state === "done", changes };
      }),
      earlier > 0,
      true,
    );
  }

  /** With what some steps changed. */
  with(steps: readonly Pick<KnownStep, "revision" | "key" | "changes">[]): Past {
    const found = new Map(steps.map((s) => [s.revision, s]));
    const filled = this.edits.map((e) => {
      const step = e.changes === null && e.revision !== null ? found.get(e.revision) : undefined;
      return step ? { ...e, key: step.key, changes: () => step.changes } : e;
    });
    return new Past(filled, this.earlier, this.undoneKnown);
  }

  /** Revisions of the edits nearest to where a walk would begin whose changes are not known. */
  unknown(most: number): number[] {
    const done = this.edits.filter((e) => e.done).slice(-most);
    const undone = this.edits.filter((e) => !e.done).slice(0, most);
    return [...done, ...undone].flatMap((e) => (e.changes === null && e.revision !== null ? [e.revision] : []));
  }

  /** The edits that a walk takes back or does again, in that order; null where this page can't tell. */
  targets({ direction, to }: Walk): readonly PastEdit[] | null {
    if (direction === "both") return null;
    const undo = direction === "undo";
    const line = this.edits.filter((e) => e.done === undo);
    if (undo) line.reverse();
    // Behind the last one that is known others may lie.
    const open = undo && this.earlier;
    if (!undo && !this.undoneKnown) return null;
    let count: number;
    if (to !== undefined) count = line.findIndex((e) => (undo ? !later(e.revision, to) : later(e.revision, to)));
    else {
      const row = line[0]?.row;
      count = row ? line.findIndex((e) => e.row !== row) : Math.min(1, line.length);
      if (line.length === 0) count = -1;
    }
    if (count < 0 && open) return null;
    return count < 0 ? line : line.slice(0, count);
  }

  /** After a walk through its targets. */
  walked(direction: Walk["direction"], targets: readonly PastEdit[]): Past {
    const set = new Set(targets);
    return new Past(
      this.edits.map((e) => (set.has(e) ? { ...e, done: direction === "redo" } : e)),
      this.earlier,
      this.undoneKnown,
    );
  }
}
