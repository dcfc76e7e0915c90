import { EditError } from "@wet-thread/core/edit/errors";
import { onlyShows } from "@wet-thread/core/edit/only-shows";
import { applyEdits, type Edit, newKey, type Outcome } from "@wet-thread/core/edit/registry";
import { invertStored, type StoredChange, storedChanges, wholeChanges } from "@wet-thread/core/edit/stored-change";
import type { StepSummary } from "@wet-thread/core/edit/summary";
import { applyChanges, type Change, type Document, documentFrom } from "@wet-thread/core/model/document";
import type { SourceInfo, VersionData } from "@wet-thread/core/model/schema";
import { createStore, useStore } from "zustand";
import { hearMade } from "../media/making";
import { edited } from "../view/modes";
import { noteBefore, recallBefore } from "../view/selected-before";
import {
  refusedByLock,
  tellAdopted,
  tellDeleted,
  tellFree,
  tellLost,
  tellMissed,
  tellNotKept,
  tellRefused,
  tellStuck,
  tellUnread,
  tellUnreadable,
  tellWalked,
} from "../words/notices";
import { toast } from "../words/toast";
import { ask, type ProjectRow, ServerError, type SourceRow } from "./api";
import { Following, type ServerStep } from "./following";
import { type LiveEvent, listenLive } from "./live";
import { Outbox } from "./outbox";
import { tellOwnEdit } from "./own-edits";
import { type Named, nameOfEdit, Past, type PastEdit, type Walk } from "./past";
import { restFor } from "./retry";
import { leftoverVersions, Unsent, type UnsentStep } from "./unsent";

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
  readonly save: SaveState;
  /** Why the server does not take what waits, though it answers; null where it is simply away, or nothing waits. */
  readonly trouble: string | null;
  readonly savedAt: Date | null;
}

export type VersionAnswer = Omit<VersionData, "piece"> &
  VersionData["piece"] & { id: string; projectId: string; name: string; revision: number } & {
    /** What of it could not be read. */
    unread?: readonly { kind: string; id: string; why: string }[];
  };

/** States of a recording in which it only goes on. */
const UNDER_WAY = new Set(["receiving", "importing"] as const);
type UnderWay = typeof UNDER_WAY extends Set<infer S> ? S : never;
const isUnderWay = (status: string | undefined): status is UnderWay => (UNDER_WAY as ReadonlySet<string | undefined>).has(status);

/** Steps that the history lists until all are asked for. */
const LISTED_STEPS = 100;
/** So many edits that can be taken back, or done again, are known beforehand, so that a walk through them shows at once. */
const KNOWN_AHEAD = 12;

const isNamed = (edit: PastEdit, of: Named): boolean => ("key" in of ? edit.key === of.key : edit.revision === of.revision);
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

/** Lets go of versions that were open before but for the last few: one whose steps are still on their way stays until the server has them. */
function letGo(most: number): void {
  for (const [id, session] of [...parked].slice(0, Math.max(0, parked.size - most))) {
    if (session.isHeld || session.store.getState().unsent.length > 0) continue;
    session.close();
    parked.delete(id);
  }
}

/** Lets go of the versions that were open before; what is still on its way goes on. */
export const closeParked = (): void => letGo(0);

/**
 * Sends what closed tabs could not send any more, of whatever version: it should not lie here until somebody opens that one again. `except` is
 * the version that is open, which sends its own.
 */
export async function sendLeftovers(except: string | null): Promise<void> {
  for (const versionId of await leftoverVersions()) {
    if (versionId === except || parked.has(versionId)) continue;
    try {
      const { projectId } = await ask<VersionAnswer>(`/api/versions/${versionId}`);
      await Session.leftover(projectId, versionId);
    } catch (error) {
      // It stays where it is, and is tried again with the next page.
      if (!(error instanceof ServerError)) throw error;
    }
  }
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
      trouble: null,
      save: "saved",
      savedAt: null,
    }));
    this.following = new Following(id, doc, revision, (steps) => this.came(steps));
    this.outbox = new Outbox(id, this.following, {
      changed: (steps, save, how) => this.outboxChanged(steps, save, how),
      refused: (step, why) => (step.walk ? toast.error(why, { id: "history" }) : tellRefused(step.name, why)),
      stuck: (step, why) => this.isStuck(step, why),
      walked: (step, way, name) => {
        if (!this.shownAhead.delete(step.key)) tellWalked(way, name);
      },
    });
    this.past = this.following.past;
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

  /** Sends what a closed tab left behind, without showing the version. */
  static async leftover(projectId: string, versionId: string): Promise<void> {
    const session = await Session.fetched(projectId, versionId);
    await session.takeOver();
    session.park();
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
      await this.takeOver();
      void this.refreshHistory();
    }
    this.stopListening = listenLive(this.store.getState().project.id, (event) => this.hear(event));
    return this;
  }

  private async takeOver(): Promise<void> {
    const { steps, broken } = await this.kept.adopt();
    if (broken.length > 0) tellUnreadable(broken);
    if (steps.length === 0) return;
    tellAdopted(steps.length);
    // They are sent before they are shown: the server may have taken some of them already, its answer lost with the tab.
    this.adopted = new Set([...this.adopted, ...steps.map((s) => s.key)]);
    this.outbox.add(steps, false);
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
    const other = parked.get(versionId);
    if (other !== this) other?.close();
    parked.delete(versionId);
    parked.set(versionId, this);
    letGo(MOST_PARKED);
  }

  private holds = 0;
  get isHeld(): boolean {
    return this.holds > 0;
  }
  /** Work that was begun in it goes on in it, wherever the page goes meanwhile; what comes back is to be called once that is over. */
  hold(): () => void {
    this.holds++;
    let over = false;
    return () => {
      if (!over) this.holds--;
      over = true;
    };
  }

  private closed = false;
  close(): void {
    this.closed = true;
    this.following.close();
    this.outbox.close();
    this.kept.close();
    this.stopListening();
  }

  /**
   * Does edits as one step, at once, with what the mode line adds to each. Returns what came of them, or false, having said why, when
   * they can't be done. Steps that follow each other with the same `row` are one for undo and redo.
   */
  edit(edits: readonly Edit[], name?: string, row?: string): Outcome | false {
    if (refusedByLock() || this.refusedBlind()) return false;
    const keyed = edits.map((e) => ({ ...edited(e, this.doc.sampleRate), ...e, key: e.key ?? newKey() }));
    try {
      const outcome = applyEdits(this.doc, keyed);
      for (const note of outcome.notes) toast.info(note, { duration: 8000 });
      if (outcome.changes.length === 0) return outcome;
      const step = { key: newKey(), name: name ?? outcome.name, edits: keyed, row };
      noteBefore(step.key);
      const before = this.doc;
      this.store.setState({ doc: outcome.doc });
      tellOwnEdit(before, outcome);
      this.layPast(step, outcome.changes);
      this.outbox.add([step], this.store.getState().save === "waiting");
      return outcome;
    } catch (error) {
      if (!(error instanceof EditError)) throw error;
      toast.error(error.message);
      return false;
    }
  }

  /** The edits that count once all that waits is done, and what each edit that waits changes. */
  private past: Past;
  private readonly laid = new Map<string, () => readonly StoredChange[]>();
  /** A walk waits of which this page does not know what it comes to: until the server has said so, nothing can be laid on it. */
  private blind = false;
  /** Walks that were shown, and told, before the server had answered. */
  private readonly shownAhead = new Set<string>();

  private refusedBlind(): boolean {
    if (this.blind) toast("What you asked for in the history is on its way; one moment.", { id: "history", duration: 1600 });
    return this.blind;
  }

  private layPast({ key, name, row }: UnsentStep, changes: readonly Change[]): void {
    let stored: readonly StoredChange[] | undefined;
    const told = (): readonly StoredChange[] => {
      stored ??= storedChanges(changes);
      return stored;
    };
    if (onlyShows(changes)) return;
    this.laid.set(key, told);
    this.past = this.past.edited({ revision: null, key, row: row ?? null, name, changes: told });
  }

  /** What waits after the server has taken some of it: the edits that count, told anew. */
  private tellPast(): void {
    this.past = this.following.past;
    this.blind = false;
    for (const { key, name, row, walk } of this.outbox.steps) {
      const changes = this.laid.get(key) ?? null;
      if (this.adopted.has(key)) this.past = new Past();
      else if (walk) this.blind ||= this.walkPast(walk) === null;
      else if (changes) this.past = this.past.edited({ revision: null, key, row: row ?? null, name, changes });
    }
    const waiting = new Set(this.outbox.steps.map((s) => s.key));
    for (const key of this.laid.keys()) if (!waiting.has(key)) this.laid.delete(key);
  }

  /**
   * What a walk changes, in order; null where this page can't tell. Where other edits came to lie in its way it changes nothing: the server will say so.
   */
  private walkPast(walk: Walk): readonly StoredChange[] | null {
    const targets = this.past.targets(walk);
    if (targets === null || targets.some((t) => t.changes === null)) return null;
    const [first] = targets;
    if (!first || (walk.of && !isNamed(first, walk.of))) return [];
    this.past = this.past.walked(walk.direction, targets);
    return targets.flatMap(({ changes }) => (walk.direction === "undo" ? invertStored(changes?.() ?? []) : (changes?.() ?? [])));
  }

  private outboxChanged(unsent: readonly UnsentStep[], save: SaveState, how: "added" | "taken" | "given up" | null): void {
    const before = this.store.getState();
    for (const { key } of unsent) this.sent.add(key);
    if (how && !this.kept.save(unsent)) tellNotKept();
    this.store.setState({
      unsent,
      save,
      revision: this.following.revision,
      ...(save === "saved" && before.save !== "saved" && { savedAt: new Date() }),
    });
    // What the server has taken is drawn already; only steps of an earlier tab, and walks that could not be told before, were not.
    const shown = !this.blind && !before.unsent.some((s) => this.adopted.has(s.key) && !unsent.includes(s));
    if (how === "given up" || (how === "taken" && !shown)) this.replay();
    else if (how === "taken") this.tellPast();
    if (unsent.length === 0 && this.doc !== this.following.doc) this.store.setState({ doc: this.following.doc });
    if (how === "taken" || how === "given up") void this.refreshHistory();
  }

  private isStuck(step: UnsentStep | null, why: string): void {
    if ((this.store.getState().trouble ?? "") === why) return;
    this.store.setState({ trouble: step ? why : null });
    if (step) tellStuck(step.name, why, { again: () => this.outbox.again(), drop: () => this.outbox.drop([step]) });
    else tellFree();
  }

  /**
   * Undo and redo wait in one queue with the edits: what is taken back is named when it is asked for, is shown at once where this page knows it, and
   * whatever is done afterwards is built on it. `to` names the edit to go back or forward to.
   */
  back(direction: "undo" | "redo", to?: number): void {
    if (refusedByLock() || this.refusedBlind()) return;
    const targets = this.past.targets({ direction, to });
    if (targets?.length === 0) return void toast(`There is nothing to ${direction}.`, { id: "history", duration: 1600 });
    const first = targets?.[0];
    const last = targets?.at(-1);
    const walk: Walk = { direction, to, of: first && nameOfEdit(first) };
    this.walk({ key: newKey(), name: `${direction === "undo" ? "Undo" : "Redo"}${last ? `: ${last.name}` : ""}`, edits: [], walk }, last?.name);
    if (direction === "undo" && last) recallBefore(last.key, this.doc);
  }

  /** Goes to just after a step of the history, back or forward; 0 is before the first. Which way, the server's history as it is then tells. */
  goTo(revision: number): void {
    if (refusedByLock() || this.refusedBlind()) return;
    this.walk({ key: newKey(), name: "Go to a step of the history", edits: [], walk: { direction: "both", to: revision } });
  }

  private walk(step: UnsentStep, name?: string): void {
    const { walk } = step;
    const changes = walk ? this.walkPast(walk) : null;
    this.blind = changes === null;
    if (walk && changes) {
      const { doc } = this;
      this.store.setState({ doc: applyChanges(doc, wholeChanges(doc, changes)) });
      this.shownAhead.add(step.key);
      tellWalked(walk.direction === "undo" ? "undo" : "redo", name ?? step.name);
    }
    this.outbox.add([step], this.store.getState().save === "waiting");
  }

  /** Steps came from the server: this tab's own unsent ones go on top again, as far as they still fit. */
  private came(steps: readonly ServerStep[]): void {
    const foreign = steps.filter((s) => s.kind !== "show" && (s.key === null || !this.sent.has(s.key)));
    this.outbox.have(steps);
    const waiting = this.outbox.steps.length;
    this.store.setState({ revision: this.following.revision });
    const kept = this.replay();
    // A step that no longer fits has said so itself.
    if (waiting > 0 && foreign.length > 0) tellMissed(foreign, kept);
    void this.refreshHistory();
  }

  /** Keys of all that this tab has sent: what comes back of it is no news. */
  private readonly sent = new Set<string>();

  /** Lays the unsent steps on what the server has; those that no longer fit are told and dropped. Returns how many are left. */
  private replay(): number {
    let { doc } = this.following;
    this.past = this.following.past;
    this.blind = false;
    const lost: { step: UnsentStep; why: string }[] = [];
    for (const step of this.outbox.steps) {
      if (this.adopted.has(step.key)) {
        this.past = new Past();
        continue;
      }
      if (this.blind) continue;
      try {
        if (step.walk) {
          const changes = this.walkPast(step.walk);
          if (changes) doc = applyChanges(doc, wholeChanges(doc, changes));
          else this.blind = true;
        } else {
          const outcome = applyEdits(doc, step.edits);
          doc = outcome.doc;
          this.layPast(step, outcome.changes);
        }
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
        const { save, unsent, trouble } = this.store.getState();
        if (save !== "waiting" || unsent.length === 0) return;
        const steps = unsent.length === 1 ? "your last step yet. It is" : `your last ${unsent.length} steps yet. They are`;
        fail(
          new ServerError(
            0,
            trouble
              ? `The server did not take your last steps: ${trouble} They are kept here.`
              : `The server is away and has not got ${steps} kept here; try again once it is back.`,
            {},
          ),
        );
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
    if (event.type === "source" && isUnderWay(event.status)) this.sourceProgress(event.sourceId ?? "", event.status, event.progress ?? 0);
    else if (event.type === "source" || event.type === "project" || event.type === "again") void this.refreshSources();
  }

  /** How far a recording is lies in what is told: nothing is fetched for it, but for one that is not known here yet. */
  private sourceProgress(sourceId: string, status: UnderWay, progress: number): void {
    const { sources } = this.store.getState();
    const row = sources.get(sourceId);
    if (!row) return void this.refreshSources();
    this.store.setState({ sources: new Map(sources).set(sourceId, { ...row, status, progress }) });
  }

  private allHistory = false;
  /** Lists the steps before the latest ones too, from now on. */
  showAllHistory(): void {
    this.allHistory = true;
    void this.refreshHistory();
  }

  /** Waits until what is shown is all that the server has now. */
  async caughtUp(): Promise<void> {
    const { revision } = await ask<{ revision: number }>(`/api/versions/${this.store.getState().versionId}/steps?after=${this.following.revision}`);
    await this.following.reach(revision);
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
    const { steps, earlier, revision } = await ask<{ steps: HistoryRow[]; earlier: number; revision: number }>(
      `/api/versions/${this.store.getState().versionId}/history${wanted}`,
    );
    this.store.setState({ history: steps, earlier });
    // What was taken meanwhile is not in that list: it is listed again then.
    if (revision !== this.following.revision) return;
    this.following.past = this.following.past.listed(steps, earlier);
    const unknown = this.following.past.unknown(KNOWN_AHEAD);
    if (unknown.length > 0) {
      const known = await ask<{ steps: ServerStep[] }>(`/api/versions/${this.store.getState().versionId}/steps?revisions=${unknown.join(",")}`);
      this.following.past = this.following.past.with(known.steps);
    }
    if (!this.blind) this.tellPast();
  }

  private deleted = false;
  private sourcesDue = false;
  async refreshSources(tries = 0): Promise<void> {
    if (this.sourcesDue) return;
    this.sourcesDue = true;
    await (tries > 0 ? restFor(tries - 1) : new Promise((wake) => setTimeout(wake, 80)));
    this.sourcesDue = false;
    if (this.closed) return;
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
      // What is not known yet is asked for again: nothing else would.
      if (error.passing) void this.refreshSources(tries + 1);
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
/** Does work that takes its time in the version that is open now: it stays ready for it, wherever the page goes meanwhile. */
export async function inVersion<T>(work: (own: Session) => Promise<T>): Promise<T> {
  const own = session();
  const done = own.hold();
  try {
    return await work(own);
  } finally {
    done();
  }
}
/** Whether a version is the one that is seen. */
export const isOpen = (own: Session): boolean => own === current;

export function useSession<T>(pick: (state: SessionState) => T): T {
  return useStore(session().store, pick);
}
