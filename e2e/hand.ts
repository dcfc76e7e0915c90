import fc from "fast-check";
import { expect } from "vitest";
import type { talkTo } from "./client";

type Server = Pick<ReturnType<typeof talkTo>, "call" | "must">;

/** Someone who adds tracks, takes steps back and does them again, and notes what was acknowledged. */
export class Hand {
  /** What is done, and what could be done again, the next one last. */
  done: string[] = [];
  undone: string[] = [];
  revision = 0;
  acknowledged = 0;
  /** What was asked for and not answered. */
  private open: "add" | "undo" | "redo" | null = null;
  private made = 0;

  private constructor(
    private readonly on: Server,
    readonly versionId: string,
  ) {}

  static async start(on: Server): Promise<Hand> {
    return new Hand(on, (await on.must("POST", "/api/projects", { name: "Killed", sampleRate: 48_000 })).versions[0].id);
  }

  private take(what: "add" | "undo" | "redo", id: string): void {
    if (what === "add") [this.done, this.undone] = [[...this.done, id], []];
    else if (what === "undo") this.undone.push(this.done.pop() as string);
    else this.done.push(this.undone.pop() as string);
  }

  /** One step; false when it was not acknowledged. */
  async step(choice: number): Promise<boolean> {
    const what = choice < 0.2 && this.done.length > 0 ? "undo" : choice < 0.35 && this.undone.length > 0 ? "redo" : "add";
    const id = `t${this.made}`;
    this.open = what;
    try {
      const at = `/api/versions/${this.versionId}`;
      const { status, body } =
        what === "add"
          ? await this.on.call("POST", `${at}/edits`, { revision: this.revision, edits: [{ type: "add-track", id }] })
          : await this.on.call("POST", `${at}/${what}`, { revision: this.revision });
      if (status !== 200) return false;
      this.revision = body.revision;
    } catch {
      return false;
    }
    this.take(what, id);
    this.open = null;
    this.made++;
    this.acknowledged++;
    return true;
  }

  /** Steps as fast as they go until something breaks, or it is enough. */
  async work(choices: () => number, enough: () => boolean = () => false): Promise<void> {
    while (!enough() && (await this.step(choices())));
  }

  /** All that was acknowledged is there, in order; what was on its way is there whole or not at all. */
  async check(): Promise<void> {
    const { trackOrder, tracks, revision } = await this.on.must("GET", `/api/versions/${this.versionId}`);
    expect(tracks.map((t: { id: string }) => t.id)).toEqual(trackOrder);
    if (this.open && revision === this.revision + 1) {
      this.take(this.open, `t${this.made}`);
      if (this.open === "add") this.made++;
      this.revision = revision;
    }
    this.open = null;
    expect(revision).toBe(this.revision);
    expect(trackOrder).toEqual(this.done);
    const { steps } = await this.on.must("GET", `/api/versions/${this.versionId}/history`);
    const named = (state: string): number => steps.filter((s: { state: string }) => s.state === state).length;
    expect([named("done"), named("undone")]).toEqual([this.done.length, this.undone.length]);
  }
}

/** The same choices in each run. */
export function choicesOf(seed: number): () => number {
  const list = fc.sample(fc.double({ min: 0, max: 1, noNaN: true, maxExcluded: true }), { seed, numRuns: 4000 });
  let i = 0;
  return () => list[i++ % list.length];
}
