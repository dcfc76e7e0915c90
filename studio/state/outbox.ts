import type { StoredChange } from "@wet-thread/core/edit/stored-change";
import { ask, ServerError } from "./api";
import type { Following, ServerStep } from "./following";
import { restFor } from "./retry";
import type { UnsentStep } from "./unsent";

/** So often is a step sent at which the server fails before it is put aside. */
const MOST_FAILURES = 3;

interface StepResult {
  readonly revision: number;
  readonly changes: readonly StoredChange[];
}

export type SendState = "saved" | "saving" | "waiting";

/** What the outbox tells its session. */
export interface OutboxHost {
  /** The steps that wait, or how sending goes, have changed: some were added, the server has some, or some are given up. */
  changed(steps: readonly UnsentStep[], state: SendState, how: "added" | "taken" | "given up" | null): void;
  refused(step: UnsentStep, why: string): void;
  aside(step: UnsentStep, why: string): void;
}

/**
 * The steps that this tab still has to send. They go in order, each until the server has answered, under a key of its own, so that none is
 * ever done twice. A step stays until the server says that it has it: in its answer, or among the steps that others fetch.
 */
export class Outbox {
  private list: readonly UnsentStep[] = [];
  private running: Promise<void> | null = null;
  private closed = false;
  /** Steps that have been sent at least once: the server may have them, answered or not. */
  private readonly tried = new Set<string>();
  /** Steps that were taken back before the server had said that it has them. */
  private readonly withdrawn = new Set<string>();

  constructor(
    private readonly versionId: string,
    private readonly following: Following,
    private readonly host: OutboxHost,
  ) {}

  close(): void {
    this.closed = true;
  }

  get steps(): readonly UnsentStep[] {
    return this.list;
  }

  private set(list: readonly UnsentStep[], how: "added" | "taken" | "given up", state: SendState = list.length ? "saving" : "saved"): void {
    this.list = list;
    this.host.changed(list, state, how);
  }

  add(steps: readonly UnsentStep[], waiting: boolean): void {
    this.set([...this.list, ...steps], "added", waiting ? "waiting" : "saving");
    void this.send();
  }

  /** Takes steps away that will not be sent any more. */
  drop(steps: readonly UnsentStep[]): void {
    this.set(
      this.list.filter((s) => !steps.includes(s)),
      "given up",
    );
  }

  /** Takes steps back that have not been confirmed; should the server have one after all, it is undone there (see `have`). */
  withdraw(steps: readonly UnsentStep[]): void {
    for (const step of steps) if (this.tried.has(step.key)) this.withdrawn.add(step.key);
    this.drop(steps);
  }

  /** The server has these steps. Returns those among them that had been taken back here. */
  have(steps: readonly ServerStep[]): ServerStep[] {
    const keys = new Set(steps.map((s) => s.key));
    this.rests = 0;
    if (this.list.some((s) => keys.has(s.key)))
      this.set(
        this.list.filter((s) => !keys.has(s.key)),
        "taken",
      );
    return steps.filter((s) => s.key !== null && this.withdrawn.delete(s.key));
  }

  /** Sends what waits; resolves when nothing does any more. */
  send(): Promise<void> {
    this.running ??= this.sendAll().finally(() => {
      this.running = null;
    });
    return this.running;
  }

  /** How often in a row the server was not there. */
  private rests = 0;

  private async sendAll(): Promise<void> {
    let failures = 0;
    while (!this.closed) {
      const [step] = this.list;
      if (!step) break;
      try {
        this.tried.add(step.key);
        const { revision, changes } = await ask<StepResult>(`/api/versions/${this.versionId}/edits`, {
          json: { revision: this.following.revision, edits: step.edits, name: step.name, key: step.key, row: step.row },
        });
        this.rests = failures = 0;
        // Where others' steps lie before it, it comes with them.
        if (!this.following.own(revision, changes)) await this.following.reach(revision);
        this.set(
          this.list.filter((s) => s.key !== step.key),
          "taken",
        );
      } catch (error) {
        if (!(error instanceof ServerError)) throw error;
        if (error.status === 409 && Array.isArray(error.body.steps) && error.body.error === "behind") {
          this.following.take(error.body.steps as ServerStep[]);
          await this.following.reach(Number(error.body.revision));
        } else if (error.passing || (error.status >= 500 && ++failures < MOST_FAILURES)) {
          this.host.changed(this.list, "waiting", null);
          await restFor(this.rests++);
        } else {
          failures = 0;
          this.drop([step]);
          // 410: the version was deleted, and may be put back.
          if (error.status >= 500 || error.status === 410) this.host.aside(step, error.message);
          else this.host.refused(step, error.message);
        }
      }
    }
    if (!this.closed) this.host.changed(this.list, this.list.length ? "waiting" : "saved", null);
  }
}
