import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey, type Outcome } from "@wet-thread/core/edit/registry";
import { type StoredChange, wholeChanges } from "@wet-thread/core/edit/stored-change";
import type { StepSummary } from "@wet-thread/core/edit/summary";
import { applyChanges, type Document, documentFrom } from "@wet-thread/core/model/document";
import type { SourceInfo, VersionData } from "@wet-thread/core/model/schema";
import { toast } from "sonner";
import { createStore, useStore } from "zustand";
import { ask, type ProjectRow, ServerError, type SourceRow } from "./api";
import { edited } from "./modes";
import { Unsent, type UnsentStep } from "./unsent";
import { view } from "./view";

export interface HistoryRow {
  readonly revision: number;
  readonly name: string;
  readonly state: "done" | "undone";
  readonly at: string;
  readonly size: number;
  /** Null for steps of an older release. */
  readonly summary: StepSummary | null;
}

interface StepResult {
  readonly revision: number;
  readonly name: string;
  readonly changes: StoredChange[];
}

interface MissedStep extends StepResult {
  readonly kind: "edit" | "undo" | "redo";
}

export type SaveState = "saved" | "saving" | "waiting";

export interface SessionState {
  readonly project: ProjectRow;
  readonly versionId: string;
  readonly versionName: string;
  readonly revision: number;
  /** The version with this tab's own steps, sent or not: what is drawn and heard. */
  readonly doc: Document;
  readonly sources: ReadonlyMap<string, SourceRow>;
  readonly history: readonly HistoryRow[];
  /** How many steps lie before those of `history`. */
  readonly earlier: number;
  readonly unsent: readonly UnsentStep[];
  readonly save: SaveState;
  readonly savedAt: Date | null;
}

export type VersionAnswer = Omit<VersionData, "piece"> & VersionData["piece"] & { id: string; projectId: string; name: string; revision: number };

/** Steps that the history lists until all are asked for. */
const LISTED_STEPS = 100;
const RETRY_MS = [300, 600, 1200, 2500, 5000];

/** True, having said so, while the view is locked. */
function refusedByLock(): boolean {
  const { locked } = view();
  if (locked) toast("The view is locked, so nothing was changed. Lift the lock to edit.", { id: "lock" });
  return locked;
}

const infoOf = (rows: Iterable<SourceRow>): ReadonlyMap<string, SourceInfo> =>
  new Map([...rows].filter((s) => s.status === "ready").map((s) => [s.id, { id: s.id, name: s.name, length: s.length, channels: s.channels }]));

const MOST_NAMED = 3;
/** Steps that came from elsewhere, by name. */
function came(steps: readonly MissedStep[]): string {
  const names = steps.slice(0, MOST_NAMED).map((s) => `${s.kind === "undo" ? "undoing " : s.kind === "redo" ? "redoing " : ""}“${s.name}”`);
  const more = steps.length - names.length;
  return `${names.join(", ")}${more > 0 ? ` and ${more} more` : ""} came`;
}

const sameInfo = (a: ReadonlyMap<string, SourceInfo>, b: ReadonlyMap<string, SourceInfo>): boolean =>
  a.size === b.size &&
  [...a.values()].every((x) => {
    const y = b.get(x.id);
    return y !== undefined && x.name === y.name && x.length === y.length && x.channels === y.channels;
  });

/**
 * One open version. Edits apply at once here and go to the server in order; the server's order is the truth. A step whose sending fails
 * stays in the tab, and is sent again under the same key, so that it is never done twice.
 */
export class Session {
  readonly store;
  /** The version as the server has it at `revision`. */
  private base: Document;
  private readonly unsent: Unsent;
  private queue: Promise<unknown> = Promise.resolve();
  private sending = false;
  private events: EventSource | null = null;
  private closed = false;

  private constructor(project: ProjectRow, version: VersionAnswer) {
    const { id, projectId: _, name, revision, tracks, clips, markers, sections, bundles, sampleRate, ...piece } = version;
    this.base = documentFrom({ sampleRate, piece, tracks, clips, markers, sections, bundles }, infoOf(project.sources));
    this.unsent = new Unsent(id);
    this.store = createStore<SessionState>(() => ({
      project,
      versionId: id,
      versionName: name,
      revision,
      doc: this.base,
      sources: new Map(project.sources.map((s) => [s.id, s])),
      history: [],
      earlier: 0,
      unsent: [],
      save: "saved",
      savedAt: null,
    }));
  }

  /** Opens a version, with what this or an earlier tab could not send any more. */
  static async open(projectId: string, versionId?: string): Promise<Session> {
    const project = await ask<ProjectRow>(`/api/projects/${projectId}`);
    const chosen = versionId ?? project.versions[0].id;
    const session = new Session(project, await ask<VersionAnswer>(`/api/versions/${chosen}`));
    const left = await session.unsent.adopt();
    if (left.length) {
      // They are sent before they are shown: the server may have taken some of them already, its answer lost with the tab.
      session.store.setState({ unsent: left, save: "saving" });
      toast.info(
        `${left.length === 1 ? "One step" : `${left.length} steps`} that had not been sent ${left.length === 1 ? "is" : "are"} back and will be sent now.`,
      );
    }
    void session.refreshHistory();
    session.listen();
    void session.send();
    return session;
  }

  get doc(): Document {
    return this.store.getState().doc;
  }

  close(): void {
    this.closed = true;
    this.events?.close();
  }

  /**
   * Does edits as one step, at once, with what the mode line adds to each. Returns what came of them, or false, having said why, when
   * they can't be done.
   */
  edit(edits: readonly Edit[], name?: string): Outcome | false {
    if (refusedByLock()) return false;
    const keyed = edits.map((e) => ({ ...edited(e, this.doc.sampleRate), ...e, key: e.key ?? newKey() }));
    try {
      const outcome = applyEdits(this.doc, keyed);
      if (outcome.changes.length === 0) return outcome;
      const step: UnsentStep = { key: newKey(), name: name ?? outcome.name, edits: keyed };
      const unsent = [...this.store.getState().unsent, step];
      this.unsent.save(unsent);
      this.store.setState((s) => ({ doc: outcome.doc, unsent, save: s.save === "waiting" ? "waiting" : "saving" }));
      void this.send();
      return outcome;
    } catch (error) {
      if (!(error instanceof EditError)) throw error;
      toast.error(error.message);
      return false;
    }
  }

  /** Undo and redo go by the server's history; steps on their way are waited for. `to` names the edit to go back or forward to. */
  back(direction: "undo" | "redo", to?: number): void {
    if (refusedByLock()) return;
    const { unsent, save } = this.store.getState();
    if (direction === "undo" && to === undefined && unsent.length > 0 && save === "waiting") {
      // The server is away: an unsent step can still be taken back here.
      this.drop([unsent.at(-1) as UnsentStep]);
      return;
    }
    this.inTurn(() => this.askBack(direction, to));
  }

  /** Goes to just after a step of the history, back or forward; 0 is before the first. Which way, the server's history as it is then tells. */
  goTo(revision: number): void {
    if (refusedByLock()) return;
    this.inTurn(async () => {
      await this.fetchHistory();
      const last = this.store.getState().history.findLast((s) => s.state === "done")?.revision ?? 0;
      if (revision !== last) await this.askBack(revision < last ? "undo" : "redo", revision);
    });
  }

  /** After what was begun before and all steps have been sent; says what goes wrong. */
  private inTurn(work: () => Promise<void>): void {
    this.queue = this.queue.then(async () => {
      await this.send();
      try {
        await work();
      } catch (error) {
        if (error instanceof ServerError) toast.error(error.message, { id: "history" });
        else throw error;
      }
    });
  }

  private async askBack(direction: "undo" | "redo", to?: number): Promise<void> {
    const result = await ask<StepResult>(`/api/versions/${this.store.getState().versionId}/${direction}`, { json: { to } });
    await this.catchUp(result.revision);
    toast(`${direction === "undo" ? "Undone" : "Done again"}: ${result.name}`, { id: "history", duration: 1600 });
  }

  private replay(steps: readonly UnsentStep[]): Document {
    let doc = this.base;
    const lost: { step: UnsentStep; why: string }[] = [];
    for (const step of steps) {
      try {
        doc = applyEdits(doc, step.edits).doc;
      } catch (error) {
        if (!(error instanceof EditError)) throw error;
        lost.push({ step, why: error.message });
      }
    }
    if (lost.length) {
      const kept = steps.filter((s) => !lost.some((l) => l.step === s));
      this.unsent.save(kept);
      this.store.setState({ unsent: kept });
      for (const { step, why } of lost) {
        toast.error(`“${step.name}” no longer fits after changes made elsewhere: ${why}`, {
          duration: 12_000,
          description: "Everything else is kept.",
        });
      }
    }
    return doc;
  }

  private drop(steps: readonly UnsentStep[]): void {
    const unsent = this.store.getState().unsent.filter((s) => !steps.includes(s));
    this.unsent.save(unsent);
    this.store.setState({ unsent });
    this.store.setState({ doc: this.replay(unsent) });
  }

  private advance(revision: number, changes: readonly StoredChange[]): void {
    this.base = applyChanges(this.base, wholeChanges(this.base, changes));
    this.store.setState({ revision });
  }

  private applyMissed(steps: readonly MissedStep[]): void {
    const { revision } = this.store.getState();
    const news = steps.filter((s) => s.revision > revision);
    if (news.length === 0) return;
    for (const step of news) this.advance(step.revision, step.changes);
    const { unsent } = this.store.getState();
    this.store.setState({ doc: this.replay(unsent) });
    // Whoever is in the midst of something is told that the piece changed beneath it; a step that no longer fits has said so itself.
    if (unsent.length > 0) {
      const kept = this.store.getState().unsent.length;
      toast.info(`${came(news)} from elsewhere meanwhile.`, {
        id: "missed",
        description: kept === 0 ? undefined : kept === 1 ? "Your own step goes on top." : `Your own ${kept} steps go on top.`,
        duration: 6000,
      });
    }
    void this.refreshHistory();
  }

  /** Fetches and applies what happened up to a revision. */
  private async catchUp(to: number): Promise<void> {
    const { revision, versionId } = this.store.getState();
    if (to <= revision) return;
    const { steps } = await ask<{ steps: MissedStep[] }>(`/api/versions/${versionId}/steps?after=${revision}`);
    this.applyMissed(steps);
  }

  /** Sends what is unsent, in order, until nothing is left or the server is away; then tries again later. */
  private async send(): Promise<void> {
    if (this.sending) return this.sent;
    this.sending = true;
    this.sent = this.sendAll().finally(() => {
      this.sending = false;
    });
    return this.sent;
  }
  private sent: Promise<void> = Promise.resolve();

  /** Waits until every step has reached the server. */
  settled(): Promise<void> {
    return this.send();
  }

  /** The server has this step: it is no longer this tab's to send. */
  private taken(step: UnsentStep): void {
    const rest = this.store.getState().unsent.filter((s) => s !== step);
    this.unsent.save(rest);
    this.store.setState({ unsent: rest });
  }

  private async sendAll(): Promise<void> {
    let tries = 0;
    while (!this.closed) {
      const { unsent, revision, versionId } = this.store.getState();
      const step = unsent[0];
      if (!step) break;
      try {
        const result = await ask<StepResult>(`/api/versions/${versionId}/edits`, {
          json: { revision, edits: step.edits, name: step.name, key: step.key },
        });
        tries = 0;
        if (result.revision > this.store.getState().revision) {
          if (result.revision === this.store.getState().revision + 1) {
            this.advance(result.revision, result.changes);
            this.taken(step);
          } else {
            // The server had taken it already, after others' steps: it comes with them, and is not laid on top once more.
            this.taken(step);
            await this.catchUp(result.revision);
          }
        } else this.taken(step);
        const rest = this.store.getState().unsent;
        if (rest.length === 0) this.store.setState({ doc: this.base, save: "saved", savedAt: new Date() });
      } catch (error) {
        if (!(error instanceof ServerError)) throw error;
        if (error.status === 409 && Array.isArray(error.body.steps) && error.body.error === "behind") {
          this.applyMissed(error.body.steps as MissedStep[]);
        } else if (error.passing || error.status >= 500) {
          this.store.setState({ save: "waiting" });
          await new Promise((wake) => setTimeout(wake, RETRY_MS[Math.min(tries++, RETRY_MS.length - 1)]));
        } else {
          toast.error(`“${step.name}” was refused: ${error.message}`, { duration: 12_000 });
          this.drop([step]);
        }
      }
    }
    if (this.store.getState().unsent.length === 0 && this.store.getState().save !== "saved")
      this.store.setState({ save: "saved", savedAt: new Date() });
    void this.refreshHistory();
  }

  private allHistory = false;
  /** Lists the steps before the latest ones too, from now on. */
  showAllHistory(): void {
    this.allHistory = true;
    void this.refreshHistory();
  }

  private historyDue = false;
  private async refreshHistory(): Promise<void> {
    if (this.historyDue) return;
    this.historyDue = true;
    await new Promise((wake) => setTimeout(wake, 60));
    this.historyDue = false;
    try {
      await this.fetchHistory();
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
    }
  }

  private async fetchHistory(): Promise<void> {
    const wanted = this.allHistory ? "" : `?last=${LISTED_STEPS}`;
    const { steps, earlier } = await ask<{ steps: HistoryRow[]; earlier: number }>(
      `/api/versions/${this.store.getState().versionId}/history${wanted}`,
    );
    this.store.setState({ history: steps, earlier });
  }

  private listen(): void {
    const { project, versionId } = this.store.getState();
    this.events = new EventSource(`/api/projects/${project.id}/events`);
    // After a break in the line something may have been missed.
    this.events.onopen = () => {
      void this.catchUp(Number.POSITIVE_INFINITY).catch(() => {});
      void this.refreshSources();
    };
    this.events.onmessage = ({ data }) => {
      const event = JSON.parse(data) as { type: string; versionId?: string; revision?: number };
      if (event.type === "source") void this.refreshSources();
      if (event.type === "step" && event.versionId === versionId && !this.sending)
        this.queue = this.queue.then(() => this.catchUp(event.revision ?? 0).catch(() => {}));
    };
  }

  private sourcesDue = false;
  async refreshSources(): Promise<void> {
    if (this.sourcesDue) return;
    this.sourcesDue = true;
    await new Promise((wake) => setTimeout(wake, 80));
    this.sourcesDue = false;
    try {
      const project = await ask<ProjectRow>(`/api/projects/${this.store.getState().project.id}`);
      this.store.setState({ project, sources: new Map(project.sources.map((r) => [r.id, r])) });
      const known = infoOf(project.sources);
      // The same recordings are no news: engine and seam check would take the whole piece anew.
      if (sameInfo(known, this.base.sources)) return;
      this.base = { ...this.base, sources: known };
      this.store.setState((s) => ({ doc: { ...s.doc, sources: known } }));
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
    }
  }
}

/** The session of this page; set before the editor is drawn. */
let current: Session | null = null;
export const setSession = (session: Session | null): void => {
  current = session;
};
export function session(): Session {
  if (!current) throw new Error("No version is open.");
  return current;
}
export function useSession<T>(pick: (state: SessionState) => T): T {
  return useStore(session().store, pick);
}
