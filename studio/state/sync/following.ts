import { wholeChanges } from "@wet-thread/core/edit/stored-change";
import { applyChanges, type Document } from "@wet-thread/core/model/document";
import { ask, ServerError } from "./api";
import { type KnownStep, Past } from "./past";
import { restFor } from "./retry";

/** A step as the server has it; by its key one of this tab's own is known again. */
export type ServerStep = KnownStep;

/**
 * A version as the server has it. One rule brings it up to date: whenever a higher revision is seen, in whatever answer or event, the steps
 * that lie between are fetched and laid on in order. So nothing that is dropped or comes out of turn can be missed for good.
 */
export class Following {
  /** The highest revision that was seen, and whether one may have been missed. */
  private wanted = 0;
  private missed = false;
  private running: Promise<void> | null = null;
  private closed = false;
  /** The edits that count, as far as the steps up to here tell. */
  past = new Past();

  constructor(
    private readonly versionId: string,
    public doc: Document,
    public revision: number,
    /** Called after steps have been laid on. */
    private readonly came: (steps: readonly ServerStep[]) => void,
  ) {}

  close(): void {
    this.closed = true;
  }

  /** A revision was seen, or (without one) may have been missed. */
  seen(revision?: number): void {
    if (revision === undefined) this.missed = true;
    else if (revision <= this.revision) return;
    else this.wanted = Math.max(this.wanted, revision);
    this.running ??= this.run();
  }

  /** Waits until a revision has been reached. */
  async reach(revision: number): Promise<void> {
    while (!this.closed && this.revision < revision) {
      this.seen(revision);
      await this.running;
    }
  }

  private async run(): Promise<void> {
    for (let tries = 0; !this.closed && (this.missed || this.wanted > this.revision); ) {
      // What is seen while the answer is on its way counts against the next one.
      const { wanted, missed } = this;
      this.missed = false;
      try {
        const { steps, revision } = await ask<{ steps: ServerStep[]; revision: number }>(
          `/api/versions/${this.versionId}/steps?after=${this.revision}`,
        );
        const before = this.revision;
        this.take(steps);
        if (this.revision >= revision) {
          // What was wished for before it was asked, and is not there, has been told by mistake.
          if (this.wanted === wanted) this.wanted = 0;
        } else if (this.revision === before) await restFor(tries++);
        else tries = 0;
      } catch (error) {
        this.missed ||= missed;
        if (!(error instanceof ServerError)) {
          this.running = null;
          throw error;
        }
        // Whoever answers so, a proxy or a server that is signed out of, may answer otherwise later; nobody is asked without a rest.
        await restFor(tries++);
      }
    }
    // Nothing comes between here and the last look: what is seen from now on is asked for anew.
    this.running = null;
  }

  /** Lays on the steps that follow on what is here; others are left to the next fetch. */
  take(steps: readonly ServerStep[]): void {
    const news: ServerStep[] = [];
    for (const step of steps) {
      if (step.revision !== this.revision + 1) continue;
      this.lay(step);
      news.push(step);
    }
    if (news.length) this.came(news);
  }

  private lay(step: ServerStep): void {
    this.doc = applyChanges(this.doc, wholeChanges(this.doc, step.changes));
    this.revision = step.revision;
    this.past = this.past.known(step);
  }

  /** Takes the answer to a step of this tab's own; false when others' lie before it, and it comes with them. */
  own(step: ServerStep): boolean {
    if (step.revision !== this.revision + 1) return step.revision <= this.revision;
    this.lay(step);
    return true;
  }
}
