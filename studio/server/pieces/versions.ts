import { EditError } from "@wet-thread/core/edit/errors";
import { onlyShows } from "@wet-thread/core/edit/only-shows";
import { applyEditsInTurns, type Edit, newKey } from "@wet-thread/core/edit/registry";
import { invertStored, isTakenAway, type StoredChange, storedChanges, wholeChanges } from "@wet-thread/core/edit/stored-change";
import { summaryOf } from "@wet-thread/core/edit/summary";
import { applyChanges, type Change, type Document, dataOf, documentFrom, type Entities, type EntityKind } from "@wet-thread/core/model/document";
import { NewId, nameOf, type Piece, type SourceInfo } from "@wet-thread/core/model/schema";
import { and, asc, desc, eq, getTableColumns, gt, gte, inArray, lt, lte, type Placeholder, type SQL, sql } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import { z } from "zod";
import { type Database, db, runNamed } from "../db/client";
import { entities, projects, type StepKind, sources, steps, versions } from "../db/schema";
import { ApiError, notFound } from "../http/errors";
import { ofProcess } from "../process/of-process";
import { ownRound } from "../process/rounds";
import { asksToBeMade, wantMade } from "../recorded/made";
import { ofProject } from "../recorded/sources";
import { announcing, type ProjectEvent } from "./events";
import { readVersion, type Unread } from "./read-version";

type Transaction = Parameters<Parameters<Database["transaction"]>[0]>[0];
type Reader = Database | Transaction;

/** A version as it is at a revision. */
export interface LoadedVersion {
  readonly id: string;
  readonly projectId: string;
  readonly name: string;
  readonly revision: number;
  readonly doc: Document;
  /** What is kept of it that could not be read: it is left out of the document. */
  readonly unread: readonly Unread[];
}

type Kept = LRUCache<string, { revision: number; doc: Document; unread: readonly Unread[] }>;
/** Documents in memory: a shortcut only, used when its revision is the database's. Bounded by the clips in them, some hundred bytes each. */
const kept = ofProcess<Kept>(
  "documents",
  () => new LRUCache({ maxSize: 400_000, sizeCalculation: ({ doc }) => doc.clips.size + doc.markers.size + 100 }),
);

function keep(id: string, revision: number, doc: Document, unread: readonly Unread[]): void {
  kept.set(id, { revision, doc, unread });
}

/** A version that was just made: its first edit finds it at hand. */
export function keepNew(id: string, sampleRate: number, piece: Piece): void {
  keep(id, 0, documentFrom({ sampleRate, piece, tracks: [], clips: [], markers: [], sections: [] }, new Map()), []);
}

/** The recordings of a version's project, as they come with it in one answer: its ways to the database cost an edit more than all else. */
const ITS_SOURCES = sql<
  SourceInfo[]
>`(select coalesce(json_agg(json_build_object('id', sources.id, 'name', sources.name, 'length', sources.length, 'channels', sources.channels)), '[]')
  from sources where ${ofProject(sql.raw("versions.project_id"))} and sources.status = 'ready')`;

type Hits = Pick<SourceInfo, "hits" | "found">;
/** Hits of recordings, which never change once they are known. Bounded by how many there are. */
const hits = ofProcess(
  "hits",
  () => new LRUCache<string, Hits>({ maxSize: 2_000_000, sizeCalculation: (h) => (h.hits?.length ?? 0) + 4 * (h.found?.length ?? 0) + 1 }),
);
/** Edits that go by hits whatever is asked of them. */
const BY_HITS: ReadonlySet<string> = new Set(["tighten", "add-hits", "move-hit", "remove-hits"]);

/** Recordings of a document with the hits of all of them: those of a page's edits go by them one after the other. */
const heardSources = new WeakMap<Document["sources"], Document["sources"]>();

/** The document with the hits of its recordings, where an edit goes by them. */
async function withHits(on: Reader, doc: Document, edits: readonly Edit[]): Promise<Document> {
  if (!edits.some((e) => e.attacks === true || e.edgeFade?.attacks === true || BY_HITS.has(e.type))) return doc;
  const heard = heardSources.get(doc.sources);
  if (heard) return heard === doc.sources ? doc : { ...doc, sources: heard };
  // What is known is taken out at once: what comes in may push it out.
  const known = new Map([...doc.sources.keys()].map((id) => [id, hits.get(id)]));
  const unknown = [...known].flatMap(([id, list]) => (list ? [] : [id]));
  if (unknown.length > 0) {
    const rows = await on
      .select({ id: sources.id, transients: sources.transients, found: sources.hits })
      .from(sources)
      .where(and(inArray(sources.id, unknown), eq(sources.status, "ready")));
    for (const { id, transients, found } of rows) {
      const all = { hits: transients, ...(found && { found }) };
      hits.set(id, all);
      known.set(id, all);
    }
  }
  const all = new Map([...doc.sources].map(([id, info]) => [id, { ...info, ...known.get(id) }]));
  // Hits that are known never change; of a recording that has none yet they may come.
  if ([...all.values()].every((info) => info.hits)) {
    heardSources.set(doc.sources, all);
    heardSources.set(all, all);
  }
  return { ...doc, sources: all };
}

const rowQuery = (on: Reader, id: string | Placeholder) =>
  on
    .select({ ...getTableColumns(versions), sources: ITS_SOURCES })
    .from(versions)
    .where(eq(versions.id, id));
type VersionRow = Awaited<ReturnType<typeof rowQuery>>[number];

/** The row of a version that is there. Throws ApiError where there is none, or none any more. */
function there(id: string, [row]: readonly VersionRow[]): VersionRow {
  if (!row) throw notFound("version", id);
  if (row.removedAt)
    throw new ApiError(410, "deleted", `The version “${row.name}” was deleted. It can be put back for a month; what was in it is kept.`, {
      kept: "Nothing was changed.",
    });
  return row;
}

const sourcesIn = (row: VersionRow): ReadonlyMap<string, SourceInfo> => new Map(row.sources.map((r) => [r.id, r]));

/** The version of a row where its document is at hand as the row has it. */
function atHand(row: VersionRow): LoadedVersion | null {
  const cached = kept.get(row.id);
  if (cached?.revision !== row.revision) return null;
  return { ...row, doc: { ...cached.doc, sources: sourcesIn(row) }, unread: cached.unread };
}

async function load(on: Reader, id: string, lock = false): Promise<LoadedVersion> {
  const query = rowQuery(on, id);
  const row = there(id, await (lock ? query.for("update") : query));
  const known = atHand(row);
  if (known) return known;
  const [project] = await on.select().from(projects).where(eq(projects.id, row.projectId));
  const things = await on.select({ kind: entities.kind, id: entities.id, data: entities.data }).from(entities).where(eq(entities.versionId, id));
  const { data, unread } = readVersion(project.sampleRate, things);
  const doc = documentFrom(data, sourcesIn(row));
  keep(id, row.revision, doc, unread);
  return { ...row, doc, unread };
}

/** A version in one consistent look, even while edits come in. */
export function loadVersion(id: string): Promise<LoadedVersion> {
  return db().transaction((tx) => load(tx, id), { isolationLevel: "repeatable read", accessMode: "read only" });
}

export function versionJson({ id, projectId, name, revision, doc, unread }: LoadedVersion) {
  const { piece, ...rest } = dataOf(doc);
  return {
    id,
    projectId,
    name,
    revision,
    sampleRate: rest.sampleRate,
    ...piece,
    tracks: rest.tracks,
    clips: rest.clips,
    markers: rest.markers,
    sections: rest.sections,
    bundles: rest.bundles,
    // Said only where there is something to say.
    ...(unread.length > 0 && { unread: unread.map(({ kind, id, why }) => ({ kind, id, why })) }),
  };
}

/** The version as it was at a revision. Throws ApiError 409 for one that does not exist yet. */
export function loadVersionAt(id: string, revision: number): Promise<LoadedVersion> {
  return db().transaction(
    async (tx) => {
      const now = await load(tx, id);
      if (revision === now.revision) return now;
      if (revision > now.revision) await checkRevision(tx, now, revision);
      const later = await missedSteps(tx, id, revision);
      let { doc } = now;
      for (const step of later.reverse()) doc = applyChanges(doc, wholeChanges(doc, invertStored(step.changes), lookUpIn(now.unread)));
      return { ...now, revision, doc };
    },
    { isolationLevel: "repeatable read", accessMode: "read only" },
  );
}

/** Finds what a document does not hold because it could not be read. */
const lookUpIn = (unread: readonly Unread[]) => (kind: EntityKind, id: string) =>
  (unread.find((u) => u.kind === kind && u.id === id)?.data as Entities[EntityKind] | undefined) ?? null;

/** What a page is told of a step. */
const STEP = {
  revision: steps.revision,
  kind: steps.kind,
  name: steps.name,
  key: steps.key,
  row: steps.row,
  target: steps.target,
  changes: steps.changes,
};

async function missedSteps(on: Reader, id: string, revision: number) {
  return on
    .select(STEP)
    .from(steps)
    .where(and(eq(steps.versionId, id), gt(steps.revision, revision)))
    .orderBy(asc(steps.revision));
}

async function checkRevision(tx: Transaction, version: LoadedVersion, revision: number): Promise<void> {
  if (revision === version.revision) return;
  const ahead = revision > version.revision;
  throw new ApiError(
    409,
    ahead ? "ahead" : "behind",
    ahead
      ? `Revision ${revision} does not exist yet; the version is at ${version.revision}. Nothing was changed.`
      : `The version is at revision ${version.revision}; these edits were made on ${revision}. Nothing was changed.`,
    {
      revision: version.revision,
      steps: ahead ? [] : await missedSteps(tx, version.id, revision),
    },
  );
}

/** The recordings that clips come to use; those that the step's clips used before are held by that. */
function newlyUsed(changes: readonly Change[]): Set<string> {
  const before = new Set<string>();
  const used = new Set<string>();
  for (const c of changes) if (c.kind === "clip" && c.before) before.add(c.before.sourceId);
  for (const c of changes) if (c.kind === "clip" && c.after && !before.has(c.after.sourceId)) used.add(c.after.sourceId);
  return used;
}

/**
 * Keeps the recordings that clips come to use from being removed until this is through; what is gone already can't be used any more.
 * Throws EditError.
 */
async function holdSources(tx: Transaction, changes: readonly Change[]): Promise<void> {
  const used = newlyUsed(changes);
  if (used.size === 0) return;
  const rows = await tx
    .select({ id: sources.id })
    .from(sources)
    .where(inArray(sources.id, [...used]))
    .for("share");
  if (rows.length < used.size) throw new EditError("A recording that this needs has been removed for good.", "sourceId");
}

interface WrittenStep {
  readonly kind: StepKind;
  readonly name: string;
  readonly edits: Edit[];
  readonly changes: Change[];
  readonly target?: number;
  readonly key?: string;
  readonly row?: string;
}

/** What of a thing that stays is written: the fields that differ, and the names of those that it is without from now on. */
function alteration({ kind, id, after }: StoredChange) {
  const fields = Object.entries(after ?? {});
  const without = fields.filter(([key, value]) => isTakenAway(key, value)).map(([key]) => key);
  return { kind, id, data: Object.fromEntries(fields.filter(([key]) => !without.includes(key))), ...(without.length > 0 && { without }) };
}

/**
 * Writes a step and what it changed where the version is still as it was; null where another step came between, or one with its key is there: then nothing was written.
 * An edit overtakes what was undone before it. One statement, all of it or nothing.
 */
async function write(
  run: (statement: SQL) => Promise<{ rows: unknown[] }>,
  version: LoadedVersion,
  after: Document,
  step: WrittenStep,
): Promise<{ revision: number; changes: StoredChange[] } | null> {
  const revision = version.revision + 1;
  const changes = storedChanges(step.changes);
  const gone = changes.filter((c) => c.after === null).map(({ kind, id }) => ({ kind, id }));
  const made = step.changes.filter((c) => c.before === null && c.after !== null).map((c) => ({ kind: c.kind, id: c.id, data: c.after }));
  const altered = changes.filter((c) => c.before !== null && c.after !== null).map(alteration);
  const event: ProjectEvent = { type: "step", projectId: version.projectId, versionId: version.id, revision };
  const { rows } = await run(sql`with
    version as (update versions set revision = ${revision}, changed_at = now()
      where id = ${version.id} and revision = ${version.revision} and removed_at is null
        and not exists (select 1 from steps s where s.version_id = ${version.id} and s.key = ${step.key ?? null}) returning id),
    overtaken as (update steps set state = 'dropped' from version where version_id = version.id and kind = 'edit' and state = 'undone' and ${step.kind} = 'edit'),
    step as (insert into steps (version_id, revision, state, kind, name, edits, changes, target, key, "row", size, summary)
      select version.id, ${revision}::int, 'done', ${step.kind}, ${step.name}, ${JSON.stringify(step.edits)}::jsonb, ${JSON.stringify(changes)}::jsonb,
       ${step.target ?? null}::int, ${step.key ?? null}, ${step.row ?? null}, ${changes.length}::int, ${JSON.stringify(summaryOf(version.doc, after, step.changes))}::jsonb
      from version),
    gone as (delete from entities e using version, json_to_recordset(${JSON.stringify(gone)}::json) as g(kind text, id text)
      where e.version_id = version.id and e.kind = g.kind and e.id = g.id),
    made as (insert into entities (version_id, kind, id, data)
      select version.id, m.kind, m.id, m.data
      from version, json_to_recordset(${JSON.stringify(made)}::json) as m(kind text, id text, data jsonb)
      on conflict (version_id, kind, id) do update set data = excluded.data),
    altered as (update entities e set data = (e.data || a.data) - coalesce(a.without, '{}')
      from version, json_to_recordset(${JSON.stringify(altered)}::json) as a(kind text, id text, data jsonb, without text[])
      where e.version_id = version.id and e.kind = a.kind and e.id = a.id returning 1)
    -- A thing that is not there though it should be: dividing by zero lets go of the whole statement.
    select ${announcing(event)}, 1 / (case when (select count(*) from altered) = ${altered.length}::int then 1 else 0 end) from version`);
  return rows.length > 0 ? { revision, changes } : null;
}

/** Writes a step of a version that the caller's transaction holds. */
async function commit(
  tx: Transaction,
  version: LoadedVersion,
  after: Document,
  step: WrittenStep,
): Promise<{ revision: number; changes: StoredChange[] }> {
  await holdSources(tx, step.changes);
  await wantMade(tx, version.doc.sources, step.changes);
  const written = await write((statement) => tx.execute(statement), version, after, step);
  if (!written) throw new Error(`Version ${version.id} changed while it was held.`);
  return written;
}

/** A step's name is cut to fit: a step is never lost for its name. */
const StepName = z
  .string()
  .max(10_000)
  .transform((s) => nameOf(s.replace(/\p{Cc}/gu, " ")));

export const EditRequest = z.object({
  revision: z.int().min(0),
  edits: z
    .array(z.looseObject({ type: z.string() }))
    .min(1, "Send at least one edit.")
    .max(20_000),
  name: StepName.optional(),
  key: NewId.min(4).optional().describe("sent again with the same key, a step is not done twice"),
  row: NewId.optional().describe("steps in a row with the same are one for undo and redo"),
});

export interface StepResult {
  readonly revision: number;
  readonly kind: StepKind;
  readonly name: string;
  readonly changes: StoredChange[];
  /** Of a walk: the edit that it reached last. */
  readonly target?: number;
  /** What was left undone though the rest was done, in words. */
  readonly notes?: readonly string[];
}

/** Lets others have their turn. */
const pause = (): Promise<void> => new Promise((go) => setImmediate(go));

/** Edits as they are kept: their parameters have been checked, but text in them is kept as it was sent. */
const keptEdits = (edits: Edit[]): Edit[] =>
  JSON.parse(JSON.stringify(edits), (_, v) => (typeof v === "string" ? v.replace(/\p{Cc}/gu, " ").replace(/\p{Cs}/gu, "\ufffd") : v));

type Done = StepResult & { readonly version: LoadedVersion | null };

/** What edits make of a version, as a step to be written. */
async function stepOf(on: Reader, version: LoadedVersion, request: z.infer<typeof EditRequest>, edits: Edit[]) {
  const { doc, changes, notes, name } = await applyEditsInTurns(await withHits(on, version.doc, edits), edits, pause);
  // Hearing a track by itself, by-passing or making lanes higher takes nothing from what can be done again.
  const kind = onlyShows(changes) ? "show" : "edit";
  const step: WrittenStep = { kind, name: request.name || name, edits: keptEdits(edits), changes, key: request.key, row: request.row };
  return { step, notes, doc, version: { ...version, doc } };
}

let prepared: { on: Database; query: ReturnType<ReturnType<typeof rowQuery>["prepare"]> } | undefined;
/** As `rowQuery`, for the database to remember how. */
function rowAtOnce() {
  if (prepared?.on !== db()) prepared = { on: db(), query: rowQuery(db(), sql.placeholder("id")).prepare("version-row") };
  return prepared.query;
}

/**
 * The step of most edits: nobody else edits the version meanwhile, and it neither comes to use a recording nor wants anything made. Two ways
 * to the database in place of five. Null where it is otherwise: then nothing was written.
 */
async function editAtOnce(id: string, request: z.infer<typeof EditRequest>, edits: Edit[]): Promise<Done | null> {
  const row = await rowAtOnce().execute({ id });
  await ownRound();
  const version = atHand(there(id, row));
  if (version?.revision !== request.revision) return null;
  const made = await stepOf(db(), version, request, edits).catch((error) => {
    // What can't be done may have been done already, and its answer lost: whoever holds the version looks.
    if (error instanceof EditError && request.key) return null;
    throw error;
  });
  if (!made) return null;
  const { step, notes, doc, version: after } = made;
  const { name, changes, kind } = step;
  if (changes.length === 0) return { revision: version.revision, kind, name, changes: [], notes, version: null };
  if (newlyUsed(changes).size > 0 || changes.some(asksToBeMade)) return null;
  const written = await write((statement) => runNamed("write-step", statement), version, doc, step);
  return written && { ...written, kind, name, notes, version: after };
}

/** The step of an edit while the version is held against all others. */
function editHeld(id: string, request: z.infer<typeof EditRequest>, edits: Edit[]): Promise<Done> {
  return db().transaction(async (tx) => {
    const version = await load(tx, id, true);
    const [again] = request.key
      ? await tx
          .select()
          .from(steps)
          .where(and(eq(steps.versionId, id), eq(steps.key, request.key)))
      : [];
    if (again) return { revision: again.revision, kind: again.kind, name: again.name, changes: again.changes, notes: [], version: null };
    await checkRevision(tx, version, request.revision);
    const { step, notes, doc, version: after } = await stepOf(tx, version, request, edits);
    if (step.changes.length === 0) return { revision: version.revision, kind: step.kind, name: step.name, changes: [], notes, version };
    return { ...(await commit(tx, version, doc, step)), kind: step.kind, name: step.name, notes, version: after };
  });
}

/** Applies edits as one step. Throws ApiError 409 with the missing steps when the caller is behind, EditError when impossible. */
export async function editVersion(id: string, request: z.infer<typeof EditRequest>): Promise<StepResult> {
  const edits = request.edits.map((e) => ({ key: newKey(), ...e }) as Edit);
  const { version, notes = [], ...result } = (await editAtOnce(id, request, edits)) ?? (await editHeld(id, request, edits));
  if (version) keep(id, result.revision, version.doc, stillUnread(version.unread, result.changes));
  return { ...result, ...(notes.length > 0 && { notes }) };
}

/** What a step did not put right. */
const stillUnread = (unread: readonly Unread[], changes: readonly StoredChange[]): readonly Unread[] =>
  unread.length === 0 ? unread : unread.filter((u) => !changes.some((c) => c.kind === u.kind && c.id === u.id));

export const BackRequest = z.object({
  revision: z.int().min(0).optional(),
  /** Undo down to, or redo up to, this edit's revision; left out, one step. */
  to: z.int().min(0).optional(),
  key: NewId.min(4).optional().describe("sent again with the same key, nothing is taken back twice"),
  of: z
    .union([z.object({ revision: z.int().min(0) }), z.object({ key: NewId.min(4) })])
    .optional()
    .describe("the edit that is meant to be taken back, or done again, first: where another one would be, nothing is"),
});

/**
 * Takes the last done edit back, or does the last undone one again; with `to`, all steps on the way there, as one step: what they come to
 * together is worked out at once, so that a jump through thousands costs little more than what it changes.
 */
export async function stepBack(id: string, direction: "undo" | "redo", request: z.infer<typeof BackRequest>): Promise<StepResult> {
  const [from, to] = direction === "undo" ? (["done", "undone"] as const) : (["undone", "done"] as const);
  const result = await db().transaction(async (tx) => {
    const version = await load(tx, id, true);
    const [again] = request.key
      ? await tx
          .select()
          .from(steps)
          .where(and(eq(steps.versionId, id), eq(steps.key, request.key)))
      : [];
    if (again) return { ...again, target: again.target ?? 0, doc: null };
    if (request.revision !== undefined) await checkRevision(tx, version, request.revision);
    const order = direction === "undo" ? desc(steps.revision) : asc(steps.revision);
    const beyond = request.to === undefined ? undefined : direction === "undo" ? gt(steps.revision, request.to) : lte(steps.revision, request.to);
    const query = (more: SQL | undefined) =>
      tx
        .select({ revision: steps.revision, name: steps.name, key: steps.key, row: steps.row, changes: steps.changes })
        .from(steps)
        .where(and(eq(steps.versionId, id), eq(steps.kind, "edit"), eq(steps.state, from), beyond, more))
        .orderBy(order);
    let targets = await (request.to === undefined ? query(undefined).limit(1) : query(undefined));
    const row = request.to === undefined ? targets[0]?.row : null;
    if (row) {
      // All of a row, up to the first step that is not of it.
      const [other] = await query(sql`${steps.row} is distinct from ${row}`).limit(1);
      targets = await query(
        and(eq(steps.row, row), other && (direction === "undo" ? gt(steps.revision, other.revision) : lt(steps.revision, other.revision))),
      );
    }
    const last = targets.at(-1);
    if (!last) throw new ApiError(422, `nothing-to-${direction}`, `There is nothing to ${direction}.`, { path: "", kept: "Nothing was changed." });
    const [first] = targets;
    const { of } = request;
    if (of && ("key" in of ? of.key !== first.key : of.revision !== first.revision))
      throw new ApiError(409, "overtaken", `“${first.name}” was done meanwhile. Nothing was ${direction === "undo" ? "undone" : "done again"}.`, {
        revision: version.revision,
        path: "of",
        kept: "Nothing was changed.",
      });
    const stored = targets.flatMap((t) => (direction === "undo" ? invertStored(t.changes) : t.changes));
    const changes = wholeChanges(version.doc, stored, lookUpIn(version.unread));
    const doc = applyChanges(version.doc, changes);
    await tx
      .update(steps)
      .set({ state: to })
      .where(
        and(
          eq(steps.versionId, id),
          eq(steps.kind, "edit"),
          eq(steps.state, from),
          direction === "undo" ? gte(steps.revision, last.revision) : lte(steps.revision, last.revision),
        ),
      );
    const { name } = last;
    const done = await commit(tx, version, doc, { kind: direction, name, edits: [], changes, target: last.revision, key: request.key });
    return { ...done, name, target: last.revision, doc, unread: version.unread };
  });
  const { revision, name, changes, target } = result;
  if (result.doc) keep(id, revision, result.doc, stillUnread(result.unread, changes));
  return { revision, kind: direction, name, changes, target };
}

export const HistoryQuery = z.object({ last: z.coerce.number().int().min(1).optional() });

/** The edits that count, oldest first: done ones, then those that can be redone. With `last`, only so many, and how many lie before them. */
export async function historyOf(id: string, { last }: z.infer<typeof HistoryQuery>) {
  const [version] = await db().select({ revision: versions.revision }).from(versions).where(eq(versions.id, id));
  if (!version) throw notFound("version", id);
  const counts = and(eq(steps.versionId, id), eq(steps.kind, "edit"), sql`${steps.state} <> 'dropped'`);
  const { revision, name, row, state, createdAt: at, summary } = steps;
  // Steps of before sizes were kept are counted as they are asked for.
  const size = sql<number>`coalesce(${steps.size}, jsonb_array_length(${steps.changes}))`;
  const query = db().select({ revision, name, row, state, at, size, summary }).from(steps).where(counts).orderBy(desc(steps.revision));
  const rows = (await (last ? query.limit(last) : query)).reverse();
  const earlier = last && rows.length === last ? (await db().$count(steps, counts)) - rows.length : 0;
  return { revision: version.revision, earlier, steps: rows };
}

/** The steps after a revision, for a page that is behind. */
export async function stepsSince(id: string, revision: number) {
  return db().transaction(
    async (tx) => {
      const version = await load(tx, id);
      return { revision: version.revision, steps: await missedSteps(tx, id, revision) };
    },
    { isolationLevel: "repeatable read" },
  );
}

/** Steps of a version by their revisions, for a page that needs to know what they changed. */
export const stepsOf = (id: string, revisions: readonly number[]) =>
  db()
    .select(STEP)
    .from(steps)
    .where(and(eq(steps.versionId, id), inArray(steps.revision, [...revisions])))
    .orderBy(asc(steps.revision));
