import { EditError } from "@wet-thread/core/edit/errors";
import { applyEdits, type Edit, newKey, type Outcome } from "@wet-thread/core/edit/registry";
import type { StepSummary } from "@wet-thread/core/edit/summary";
import { type Document, documentFrom } from "@wet-thread/core/model/document";
import type { SourceInfo, VersionData } from "@wet-thread/core/model/schema";
import { createStore, useStore } from "zustand";
import { ask, type ProjectRow, ServerError, type SourceRow } from "./api";
import { Following, type ServerStep } from "./following";
import { type LiveEvent, listenLive } from "./live";
import { hearMade } from "./making";
import { edited } from "./modes";
import {
  refusedByLock,
  tellAdopted,
  tellAside,
  tellDeleted,
  tellLost,
  tellMissed,
  tellNotKept,
  tellRefused,
  tellUnread,
  tellUnreadable,
} from "./notices";
import { Outbox } from "./outbox";
import { toast } from "./toast";
import { Unsent, type UnsentStep } from "./unsent";

export interface HistoryRow {
  readonly revision: number;
  readonly name: string;
  /** What steps share that are one for undo and redo; null for a step by itself. */
  readonly row: string | null;
  readonly state: "done" | "undone";
  readonly at: string;
  readonly size: number;
  /** Null for steps of an older release. */
  readonly summary: StepSummary | null;
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
  /** Steps at which the server failed each time: not saved, not lost. */
  readonly aside: readonly UnsentStep[];
  readonly save: SaveState;
  readonly savedAt: Date | null;
  /** How many walks through the history are on their way. */
  readonly walks: number;
}

export type VersionAnswer = Omit<VersionData, "piece"> &
  VersionData["piece"] & { id: string; projectId: string; name: string; revision: number } & {
    /** What of it could not be read. */
    unread?: readonly { kind: string; id: string; why: string }[];
  };

/** Steps that the history lists until all are asked for. */
const LISTED_STEPS = 100;
const infoOf = (rows: Iterable<SourceRow>): ReadonlyMap<string, SourceInfo> =>
  new Map(
    [...rows]
      .filter((s) => s.status === "ready")
      .map((s) => [s.id, { id: s.id, name: s.name, length: s.length, channels: s.channels, hits: s.transients, ...(s.hits && { found: s.hits }) }]),
  );

const sameInfo = (a: ReadonlyMap<string, SourceInfo>, b: ReadonlyMap<string, SourceInfo>): boolean =>
  a.size === b.size &&
  [...a.values()].every((x) => {
    const y = b.get(x.id);
    return (
      y !== undefined &&
      x.name === y.name &&
      x.length === y.length &&
      x.channels === y.channels &&
      x.hits?.length === y.hits?.length &&
      x.found?.length === y.found?.length
    );
  });

/** Versions that were open before in this page, and stay ready for going back to them; the one that was left last comes last. */
const parked = new Map<string, Session>();
const MOST_PARKED = 3;

/** Lets go of the versions that were open before. */
export function closeParked(): void {
  for (const session of parked.values()) session.close();
  parked.clear();
}

/**
 * One open version: what is drawn and heard. Edits apply at once here and are sent in order (`Outbox`); what the server has is followed
 * (`Following`), and this tab's own unsent steps are laid on top of it again.
 */
export class Session {
  readonly store;
  private readonly following: Following;
  private readonly outbox: Outbox;
  private readonly kept: Unsent;
  private readonly unread: NonNullable<VersionAnswer["unread"]>;
  private queue: Promise<unknown> = Promise.resolve();
  private stopListening = (): void => {};

  private constructor(project: ProjectRow, version: VersionAnswer) {
    const { id, projectId: _, name, revision, tracks, clips, markers, sections, bundles, sampleRate, unread = [], ...piece } = version;
    this.unread = unread;
    const doc = documentFrom({ sampleRate, piece, tracks, clips, markers, sections, bundles }, infoOf(project.sources));
    this.kept = new Unsent(id);
    this.store = createStore<SessionState>(() => ({
      project,
      versionId: id,
      versionName: name,
      revision,
      doc,
      sources: new Map(project.sources.map((s) => [s.id, s])),
      history: [],
      earlier: 0,
      unsent: [],
      aside: [],
      walks: 0,
      save: "saved",
      savedAt: null,
    }));
    this.following = new Following(id, doc, revision, (steps) => this.came(steps));
    this.outbox = new Outbox(id, this.following, {
      changed: (steps, save, how) => this.outboxChanged(steps, save, how),
      refused: (step, why) => tellRefused(step.name, why),
      aside: (step, why) => this.putAside(step, why),
    });
  }

  /** Opens a version, with what this or an earlier tab could not send any more; one that is ready already at once. */
  static async open(projectId: string, versionId?: string): Promise<Session> {
    const ready = parked.get(versionId ?? "");
    if (!ready) return (await Session.fetched(projectId, versionId)).begin();
    parked.delete(versionId ?? "");
    await ready.begin();
    // What happened meanwhile was not heard.
    ready.hear({ type: "again" });
    return ready;
  }

  /** Makes the version that is next in the project's order ready, so that going there takes no time. Where it can't, it is opened when it is wanted. */
  async prepareNext(): Promise<void> {
    const { project, versionId } = this.store.getState();
    const at = project.versions.findIndex((v) => v.id === versionId);
    const next = project.versions[(at + 1) % project.versions.length];
    if (!next || next.id === versionId || parked.has(next.id)) return;
    try {
      const session = await Session.fetched(project.id, next.id);
      if (!parked.has(next.id)) session.park();
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
    }
  }

  private static async fetched(projectId: string, versionId?: string): Promise<Session> {
    const project = await ask<ProjectRow>(`/api/projects/${projectId}`);
    return new Session(project, await ask<VersionAnswer>(`/api/versions/${versionId ?? project.versions[0].id}`));
  }

  private begun = false;
  /** From here on it is the one that is open: it hears what happens. */
  private async begin(): Promise<this> {
    if (!this.begun) {
      this.begun = true;
      if (this.unread.length) tellUnread(this.unread);
      const { steps, broken } = await this.kept.adopt();
      if (broken) tellUnreadable();
      if (steps.length) {
        tellAdopted(steps.length);
        // They are sent before they are shown: the server may have taken some of them already, its answer lost with the tab.
        this.adopted = new Set(steps.map((s) => s.key));
        this.outbox.add(steps, false);
      }
      void this.refreshHistory();
    }
    this.stopListening = listenLive(this.store.getState().project.id, (event) => this.hear(event));
    return this;
  }

  /** Keys of steps of an earlier tab that have not been laid on what is shown. */
  private adopted: ReadonlySet<string> = new Set();

  get doc(): Document {
    return this.store.getState().doc;
  }

  /** Leaves it for another version of the project: what is on its way goes on, what others do is fetched when it is opened again. */
  park(): void {
    const { versionId } = this.store.getState();
    this.stopListening();
    parked.get(versionId)?.close();
    parked.delete(versionId);
    parked.set(versionId, this);
    const [[oldest, session]] = parked;
    if (parked.size <= MOST_PARKED) return;
    session.close();
    parked.delete(oldest);
  }

  close(): void {
    this.following.close();
    this.outbox.close();
    this.stopListening();
  }

  /**
   * Does edits as one step, at once, with what the mode line adds to each. Returns what came of them, or false, having said why, when
   * they can't be done. Steps that follow each other with the same `row` are one for undo and redo.
   */
  edit(edits: readonly Edit[], name?: string, row?: string): Outcome | false {
    if (refusedByLock()) return false;
    const keyed = edits.map((e) => ({ ...edited(e, this.doc.sampleRate), ...e, key: e.key ?? newKey() }));
    try {
      const outcome = applyEdits(this.doc, keyed);
      for (const note of outcome.notes) toast.info(note, { duration: 8000 });
      if (outcome.changes.length === 0) return outcome;
      this.store.setState({ doc: outcome.doc });
      this.outbox.add([{ key: newKey(), name: name ?? outcome.name, edits: keyed, row }], this.store.getState().save === "waiting");
      return outcome;
    } catch (error) {
      if (!(error instanceof EditError)) throw error;
      toast.error(error.message);
      return false;
    }
  }

  private outboxChanged(unsent: readonly UnsentStep[], save: SaveState, how: "added" | "taken" | "given up" | null): void {
    const before = this.store.getState();
    for (const { key } of unsent) this.sent.add(key);
    // Those put aside are kept like those that wait: neither is saved on the server.
    if (how && !this.kept.save([...before.aside, ...unsent])) tellNotKept();
    this.store.setState({
      unsent,
      save,
      revision: this.following.revision,
      ...(save === "saved" && before.save !== "saved" && { savedAt: new Date() }),
    });
    // What the server has taken is drawn already; only steps of an earlier tab were not.
    if (how === "given up" || (how === "taken" && before.unsent.some((s) => this.adopted.has(s.key) && !unsent.includes(s)))) this.replay();
    if (unsent.length === 0 && this.doc !== this.following.doc) this.store.setState({ doc: this.following.doc });
    if (how === "taken" || how === "given up") void this.refreshHistory();
  }

  private putAside(step: UnsentStep, why: string): void {
    const aside = [...this.store.getState().aside, step];
    this.store.setState({ aside });
    this.kept.save([...aside, ...this.outbox.steps]);
    const leave = (): void => {
      const rest = this.store.getState().aside.filter((s) => s !== step);
      this.store.setState({ aside: rest });
      this.kept.save([...rest, ...this.outbox.steps]);
    };
    const again = (): void => {
      leave();
      this.outbox.add([step], false);
      this.replay();
    };
    tellAside(step, why, again, leave);
  }

  /** Undo and redo go by the server's history; steps on their way are waited for. `to` names the edit to go back or forward to. */
  back(direction: "undo" | "redo", to?: number): void {
    if (refusedByLock()) return;
    const { unsent, save } = this.store.getState();
    const last = unsent.at(-1);
    if (direction === "undo" && to === undefined && last && save === "waiting") {
      // The server is away: an unsent step can still be taken back here.
      this.outbox.withdraw(last.row ? unsent.slice(unsent.findLastIndex((s) => s.row !== last.row) + 1) : [last]);
      return;
    }
    const { history, earlier } = this.store.getState();
    const states = history.map((s) => s.state);
    // While another walk is on its way the list does not tell what there will be to undo or redo.
    if (
      !last &&
      this.store.getState().walks === 0 &&
      this.listedAt === this.following.revision &&
      earlier === 0 &&
      !states.includes(direction === "undo" ? "done" : "undone")
    )
      return void toast(`There is nothing to ${direction}.`, { id: "history", duration: 1600 });
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

  /** After what was begun before and all steps have been sent; says what goes wrong. Whatever does, what is begun later has its turn. */
  private inTurn(work: () => Promise<void>): void {
    this.walking(1);
    this.queue = this.queue.then(async () => {
      try {
        await this.outbox.send();
        await work();
      } catch (error) {
        if (!(error instanceof ServerError)) console.error(error);
        const message = error instanceof ServerError ? error.message : "Something went wrong in this page. Nothing was changed.";
        toast.error(message, { id: "history" });
      } finally {
        this.walking(-1);
      }
    });
  }

  private walking(by: number): void {
    this.store.setState(({ walks }) => ({ walks: walks + by }));
  }

  private async askBack(direction: "undo" | "redo", to?: number): Promise<void> {
    const { versionId } = this.store.getState();
    const result = await ask<{ revision: number; name: string }>(`/api/versions/${versionId}/${direction}`, { json: { to } });
    await this.following.reach(result.revision);
    toast(`${direction === "undo" ? "Undone" : "Done again"}: ${result.name}`, { id: "history", duration: 1600 });
  }

  /** Steps came from the server: this tab's own unsent ones go on top again, as far as they still fit. */
  private came(steps: readonly ServerStep[]): void {
    const foreign = steps.filter((s) => s.key === null || !this.sent.has(s.key));
    const withdrawn = this.outbox.have(steps);
    const waiting = this.outbox.steps.length;
    this.store.setState({ revision: this.following.revision });
    const kept = this.replay();
    // A step that no longer fits has said so itself.
    if (waiting > 0 && foreign.length > 0) tellMissed(foreign, kept);
    // The server had it after all, its answer lost: it is taken back there too.
    if (withdrawn.length && withdrawn.at(-1) === steps.at(-1)) this.inTurn(() => this.askBack("undo"));
    void this.refreshHistory();
  }

  /** Keys of all that this tab has sent: what comes back of it is no news. */
  private readonly sent = new Set<string>();

  /** Lays the unsent steps on what the server has; those that no longer fit are told and dropped. Returns how many are left. */
  private replay(): number {
    let { doc } = this.following;
    const lost: { step: UnsentStep; why: string }[] = [];
    for (const step of this.outbox.steps) {
      if (this.adopted.has(step.key)) continue;
      try {
        doc = applyEdits(doc, step.edits).doc;
      } catch (error) {
        if (!(error instanceof EditError)) throw error;
        lost.push({ step, why: error.message });
      }
    }
    this.store.setState({ doc });
    for (const { step, why } of lost) tellLost(step.name, why);
    if (lost.length) this.outbox.drop(lost.map((l) => l.step));
    return this.outbox.steps.length;
  }

  /** Waits until every step has reached the server. Rejects with ServerError while that is away: what needs them there can't be done then. */
  settled(): Promise<void> {
    return new Promise((done, fail) => {
      const look = (): void => {
        const { save, unsent } = this.store.getState();
        if (save !== "waiting" || unsent.length === 0) return;
        const steps = unsent.length === 1 ? "your last step yet. It is" : `your last ${unsent.length} steps yet. They are`;
        fail(new ServerError(0, `The server is away and has not got ${steps} kept here; try again once it is back.`, {}));
      };
      const off = this.store.subscribe(look);
      this.outbox.send().then(done, fail).finally(off);
      look();
    });
  }

  private hear(event: LiveEvent): void {
    const { versionId } = this.store.getState();
    if (event.type === "again") this.following.seen();
    if (event.type === "step" && event.versionId === versionId) this.following.seen(event.revision);
    if (event.type === "made") hearMade(event.madeId ?? "", event.status ?? "", event.progress ?? 0);
    if (event.type === "source" || event.type === "project" || event.type === "again") void this.refreshSources();
  }

  private allHistory = false;
  /** Lists the steps before the latest ones too, from now on. */
  showAllHistory(): void {
    this.allHistory = true;
    void this.refreshHistory();
  }

  /** The revision that the history was listed at. */
  private listedAt = -1;
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
    const { steps, earlier, revision } = await ask<{ steps: HistoryRow[]; earlier: number; revision: number }>(
      `/api/versions/${this.store.getState().versionId}/history${wanted}`,
    );
    this.listedAt = revision;
    this.store.setState({ history: steps, earlier });
  }

  private deleted = false;
  private sourcesDue = false;
  async refreshSources(): Promise<void> {
    if (this.sourcesDue) return;
    this.sourcesDue = true;
    await new Promise((wake) => setTimeout(wake, 80));
    this.sourcesDue = false;
    try {
      const project = await ask<ProjectRow>(`/api/projects/${this.store.getState().project.id}`);
      const own = project.versions.find((v) => v.id === this.store.getState().versionId);
      if (!own && !this.deleted) tellDeleted(this.store.getState().versionName);
      this.deleted = !own;
      this.store.setState((s) => ({ project, versionName: own?.name ?? s.versionName, sources: new Map(project.sources.map((r) => [r.id, r])) }));
      const known = infoOf(project.sources);
      // The same recordings are no news: engine and seam check would take the whole piece anew.
      if (sameInfo(known, this.following.doc.sources)) return;
      this.following.doc = { ...this.following.doc, sources: known };
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
