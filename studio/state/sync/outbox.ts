import type { StoredChange } from "@wet-thread/core/edit/stored-change";
import { ask, ServerError } from "./api";
import type { Following, ServerStep } from "./following";
import type { Walk } from "./past";
import { restFor } from "./retry";
import type { UnsentStep } from "./unsent";

interface Answer {
  readonly revision: number;
  readonly kind: ServerStep["kind"];
  readonly name: string;
  readonly changes: readonly StoredChange[];
  readonly target?: number;
  readonly notes?: readonly string[];
}

export type SendState = "saved" | "saving" | "waiting";

/** What the outbox tells its session. */
export interface OutboxHost {
  /** The steps that wait, or how sending goes, have changed: some were added, the server has some, or some are given up. */
  changed(steps: readonly UnsentStep[], state: SendState, how: "added" | "taken" | "given up" | null): void;
  /** The server has said that a step can't be done: it is given up. */
  refused(step: UnsentStep, why: string): void;
  /** A step can't be sent though the server answers: it waits, and all after it. Null once that is over. */
  stuck(step: UnsentStep | null, why: string): void;
  /** A walk through the history was done. */
  walked(step: UnsentStep, way: "undo" | "redo", name: string): void;
}

/** An answer to a step that takes longer than this counts as none: the bar says that the server is away, not that it saves for ever. */
const LONGEST_MS = 120_000;

/** The API's own words for what can't be done, now or later; whatever else is answered says nothing of the step. */
const IMPOSSIBLE = new Set([400, 409, 413, 422]);
/** A deleted version may be put back, one that is gone stays gone: either way the steps are kept. */
const cant = ({ status, body }: ServerError): boolean =>
  IMPOSSIBLE.has(status) && typeof body.error === "string" && body.error !== "behind" && body.error !== "ahead";

/**
 * The steps that this tab still has to send, edits and walks through the history in one queue. They go in order, each until the server has
 * answered, under a key of its own, so that none is ever done twice. A step stays until the server says that it has it (in its answer, or among
 * the steps that others fetch), or that it can't be done; whatever else happens, it waits, and those after it wait with it.
 */
export class Outbox {
  private list: readonly UnsentStep[] = [];
  private running: Promise<void> | null = null;
  private closed = false;
  /** What may be tried again now, in place of waiting out a rest. */
  private wake: (() => void) | null = null;

  constructor(
    private readonly versionId: string,
    private readonly following: Following,
    private readonly host: OutboxHost,
  ) {}

  close(): void {
    this.closed = true;
    this.wake?.();
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
    this.wake?.();
  }

  /** Tries again what waits. */
  again(): void {
    this.wake?.();
    void this.send();
  }

  /** The server has these steps. */
  have(steps: readonly ServerStep[]): void {
    const keys = new Set(steps.map((s) => s.key));
    this.rests = 0;
    if (this.list.some((s) => keys.has(s.key)))
      this.set(
        this.list.filter((s) => !keys.has(s.key)),
        "taken",
      );
  }

  /** Sends what waits; resolves when nothing does any more. */
  send(): Promise<void> {
    if (this.list.length === 0 && !this.running) return Promise.resolve();
    this.running ??= this.sendAll();
    return this.running;
  }

  /** How often in a row the server did not take the step. */
  private rests = 0;

  private rest(): Promise<void> {
    return Promise.race([restFor(this.rests++), new Promise<void>((go) => (this.wake = go))]);
  }

  private async sendAll(): Promise<void> {
    let stuck = false;
    const free = (): void => {
      this.rests = 0;
      if (stuck) this.host.stuck(null, "");
      stuck = false;
    };
    while (!this.closed) {
      const [step] = this.list;
      if (!step) break;
      try {
        const done = step.walk ? await this.walk(step, step.walk) : await this.edit(step);
        free();
        // Where others' steps lie before it, it comes with them.
        if (done && !this.following.own(done)) await this.following.reach(done.revision);
        if (done?.kind === "undo" || done?.kind === "redo") this.host.walked(step, done.kind, done.name);
        this.set(
          this.list.filter((s) => s.key !== step.key),
          "taken",
        );
      } catch (error) {
        if (!(error instanceof ServerError)) {
          // Nobody foresaw it: the step is kept, and tried again.
          console.error(error);
          stuck = true;
          this.host.stuck(step, "something went wrong in this page.");
          this.host.changed(this.list, "waiting", null);
          await this.rest();
        } else if (error.status === 409 && Array.isArray(error.body.steps) && error.body.error === "behind") {
          this.following.take(error.body.steps as ServerStep[]);
          await this.following.reach(Number(error.body.revision));
        } else if (cant(error)) {
          free();
          // What came to lie in its way is shown first.
          if (typeof error.body.revision === "number") await this.following.reach(error.body.revision);
          this.drop([step]);
          this.host.refused(step, error.message);
        } else {
          stuck ||= !error.passing;
          if (stuck) this.host.stuck(step, error.message);
          this.host.changed(this.list, "waiting", null);
          await this.rest();
        }
      }
    }
    // Nothing comes between here and the last look: what is added from now on is sent anew.
    this.running = null;
    if (stuck) this.host.stuck(null, "");
    if (!this.closed) this.host.changed(this.list, this.list.length ? "waiting" : "saved", null);
  }

  private async edit(step: UnsentStep): Promise<ServerStep> {
    const { key, name, edits, row } = step;
    const { revision, ...done } = await ask<Answer>(`/api/versions/${this.versionId}/edits`, {
      json: { revision: this.following.revision, edits, name, key, row },
      signal: AbortSignal.timeout(LONGEST_MS),
    });
    // Edits that changed nothing are no step.
    return { kind: done.kind, revision, key, row: row ?? null, name: done.name, target: null, changes: done.changes };
  }

  /** Walks through the history; null where the version is there already. */
  private async walk({ key }: UnsentStep, { direction, to, of }: Walk): Promise<ServerStep | null> {
    let way = direction;
    if (way === "both") {
      const { steps } = await ask<{ steps: readonly { revision: number; state: string }[] }>(`/api/versions/${this.versionId}/history`);
      const last = steps.findLast((s) => s.state === "done")?.revision ?? 0;
      if (last === to) return null;
      way = (to ?? 0) < last ? "undo" : "redo";
    }
    const {
      revision,
      name,
      changes,
      target = 0,
    } = await ask<Answer>(`/api/versions/${this.versionId}/${way}`, {
      json: { to, of, key },
      signal: AbortSignal.timeout(LONGEST_MS),
    });
    return { kind: way, revision, key, row: null, name, target, changes };
  }
}
