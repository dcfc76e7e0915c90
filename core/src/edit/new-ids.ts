import { lastWhere } from "../base/sorted";
import { type Document, type EntityKind, entityOf } from "../model/document";

const KINDS: readonly Exclude<EntityKind, "piece">[] = ["track", "clip", "marker", "section", "bundle"];

/** Ids of what an edit lays: the same in the page and on the server, since they come from the key that it was sent with. */
export class NewIds {
  private given = 0;

  constructor(
    private readonly before: Document,
    private readonly key: string,
    /** Whether the edit at work set a thing of that id itself. */
    private readonly isSet: (kind: EntityKind, id: string) => boolean,
  ) {}

  private idAt(n: number): string {
    return `${this.key}.${n}`;
  }
  private isTaken(n: number): boolean {
    const id = this.idAt(n);
    for (const kind of KINDS) if (this.isSet(kind, id) || entityOf(this.before, kind, id) !== null) return true;
    this.laneIds ??= new Set([...this.before.bundles.values()].flatMap((b) => b.takes?.map((l) => l.id) ?? []));
    return this.laneIds.has(id);
  }
  /** Lanes of take stacks have ids of their own too, though they are no things of the document. */
  private laneIds: Set<string> | null = null;

  /** The next id that nothing has. */
  next(): string {
    let free = this.given + 1;
    if (this.isTaken(free)) {
      // Thousands may be taken by edits with the same key: a free one is looked for in steps that double, then between the last two.
      let last = free;
      for (let step = 1; this.isTaken(free); step *= 2) {
        last = free;
        free += step;
      }
      free = last + 1 + lastWhere(free - last - 1, (i) => this.isTaken(last + 1 + i)) + 1;
    }
    this.given = free;
    return this.idAt(free);
  }
}
