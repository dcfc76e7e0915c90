import { applyEdits, type Edit, newKey } from "@wet-thread/core/edit/registry";
import { invertStored, type StoredChange, storedChanges, wholeChanges } from "@wet-thread/core/edit/stored-change";
import { summaryOf } from "@wet-thread/core/edit/summary";
import { applyChanges, type Change, type Document, dataOf, documentFrom } from "@wet-thread/core/model/document";
import { type SourceInfo, VersionData } from "@wet-thread/core/model/schema";
import { and, asc, desc, eq, gt, sql } from "drizzle-orm";
import { z } from "zod";
import { type Database, db } from "./db/client";
import { entities, projects, sources, steps, versions } from "./db/schema";
import { ApiError, notFound } from "./errors";
import { announce } from "./events";

type Transaction = Parameters<Parameters<Database["transaction"]>[0]>[0];
type Reader = Database | Transaction;

/** A version as it is at a revision. */
export interface LoadedVersion {
  readonly id: string;
  readonly projectId: string;
  readonly name: string;
  readonly revision: number;
  readonly doc: Document;
}

/** Documents in memory: a shortcut only, used when its revision is the database's. */
const kept = new Map<string, { revision: number; doc: Document }>();
const MOST_KEPT = 8;

function keep(id: string, revision: number, doc: Document): void {
  kept.delete(id);
  kept.set(id, { revision, doc });
  for (const old of kept.keys()) {
    if (kept.size <= MOST_KEPT) break;
    kept.delete(old);
  }
}

async function sourcesOf(on: Reader, projectId: string): Promise<ReadonlyMap<string, SourceInfo>> {
  const rows = await on
    .select({ id: sources.id, name: sources.name, length: sources.length, channels: sources.channels })
    .from(sources)
    .where(and(eq(sources.projectId, projectId), eq(sources.status, "ready")));
  return new Map(rows.map((r) => [r.id, r]));
}

async function load(on: Reader, id: string, lock = false): Promise<LoadedVersion> {
  const query = on.select().from(versions).where(eq(versions.id, id));
  const [row] = await (lock ? query.for("update") : query);
  if (!row) throw notFound("version", id);
  const known = await sourcesOf(on, row.projectId);
  const cached = kept.get(id);
  if (cached?.revision === row.revision) return { ...row, doc: { ...cached.doc, sources: known } };
  const [project] = await on.select().from(projects).where(eq(projects.id, row.projectId));
  const things = await on.select({ kind: entities.kind, data: entities.data }).from(entities).where(eq(entities.versionId, id));
  const of = (kind: string): unknown[] => things.filter((t) => t.kind === kind).map((t) => t.data);
  const data = VersionData.parse({
    sampleRate: project.sampleRate,
    piece: of("piece")[0],
    tracks: of("track"),
    clips: of("clip"),
    markers: of("marker"),
    sections: of("section"),
    bundles: of("bundle"),
  });
  const doc = documentFrom(data, known);
  keep(id, row.revision, doc);
  return { ...row, doc };
}

/** A version in one consistent look, even while edits come in. */
export function loadVersion(id: string): Promise<LoadedVersion> {
  return db().transaction((tx) => load(tx, id), { isolationLevel: "repeatable read", accessMode: "read only" });
}

export function versionJson({ id, projectId, name, revision, doc }: LoadedVersion) {
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
  };
}

async function missedSteps(on: Reader, id: string, revision: number) {
  return on
    .select({ revision: steps.revision, kind: steps.kind, name: steps.name, changes: steps.changes })
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

/** Writes a step and what it changed, all in the caller's transaction. */
async function commit(
  tx: Transaction,
  version: LoadedVersion,
  after: Document,
  step: { kind: "edit" | "undo" | "redo"; name: string; edits: Edit[]; changes: Change[]; target?: number; key?: string },
): Promise<number> {
  const revision = version.revision + 1;
  const [changes, summary] = [storedChanges(step.changes), summaryOf(version.doc, after, step.changes)];
  await tx.insert(steps).values({ versionId: version.id, revision, state: "done", ...step, changes, size: changes.length, summary });
  const gone = step.changes.filter((c) => c.after === null);
  const set = step.changes.filter((c) => c.after !== null);
  if (gone.length) {
    const [kinds, ids] = [gone.map((c) => c.kind), gone.map((c) => c.id)];
    await tx.execute(
      sql`delete from entities e using unnest(${sql.param(kinds)}::text[], ${sql.param(ids)}::text[]) as g(kind, id) where e.version_id = ${version.id} and e.kind = g.kind and e.id = g.id`,
    );
  }
  if (set.length) {
    const [kinds, ids, data] = [set.map((c) => c.kind), set.map((c) => c.id), set.map((c) => JSON.stringify(c.after))];
    await tx.execute(sql`insert into entities (version_id, kind, id, data)
      select ${version.id}, s.kind, s.id, s.data::jsonb from unnest(${sql.param(kinds)}::text[], ${sql.param(ids)}::text[], ${sql.param(data)}::text[]) as s(kind, id, data)
      on conflict (version_id, kind, id) do update set data = excluded.data`);
  }
  await tx.update(versions).set({ revision, changedAt: sql`now()` }).where(eq(versions.id, version.id));
  await announce(tx, { type: "step", projectId: version.projectId, versionId: version.id, revision });
  return revision;
}

export const EditRequest = z.object({
  revision: z.int().min(0),
  edits: z
    .array(z.looseObject({ type: z.string() }))
    .min(1, "Send at least one edit.")
    .max(20_000),
  name: z.string().max(200).optional(),
  key: z.string().min(4).max(80).optional().describe("sent again with the same key, a step is not done twice"),
});

export interface StepResult {
  readonly revision: number;
  readonly name: string;
  readonly changes: StoredChange[];
}

/** Applies edits as one step. Throws ApiError 409 with the missing steps when the caller is behind, EditError when impossible. */
export async function editVersion(id: string, request: z.infer<typeof EditRequest>): Promise<StepResult> {
  const edits = request.edits.map((e) => ({ key: newKey(), ...e }) as Edit);
  const result = await db().transaction(async (tx) => {
    const version = await load(tx, id, true);
    const [again] = request.key
      ? await tx
          .select()
          .from(steps)
          .where(and(eq(steps.versionId, id), eq(steps.key, request.key)))
      : [];
    if (again) return { revision: again.revision, name: again.name, changes: again.changes, doc: null };
    await checkRevision(tx, version, request.revision);
    const outcome = applyEdits(version.doc, edits);
    const name = request.name ?? outcome.name;
    if (outcome.changes.length === 0) return { revision: version.revision, name, changes: [], doc: version.doc };
    await tx
      .update(steps)
      .set({ state: "dropped" })
      .where(and(eq(steps.versionId, id), eq(steps.kind, "edit"), eq(steps.state, "undone")));
    const revision = await commit(tx, version, outcome.doc, { kind: "edit", name, edits, changes: outcome.changes, key: request.key });
    return { revision, name, changes: storedChanges(outcome.changes), doc: outcome.doc };
  });
  if (result.doc) keep(id, result.revision, result.doc);
  return { revision: result.revision, name: result.name, changes: result.changes };
}

export const BackRequest = z.object({
  revision: z.int().min(0).optional(),
  /** Undo down to, or redo up to, this edit's revision; left out, one step. */
  to: z.int().min(0).optional(),
});

/** Takes the last done edit back, or does the last undone one again; with `to`, all steps on the way there. */
export async function stepBack(id: string, direction: "undo" | "redo", request: z.infer<typeof BackRequest>): Promise<StepResult> {
  const result = await db().transaction(async (tx) => {
    let version = await load(tx, id, true);
    if (request.revision !== undefined) await checkRevision(tx, version, request.revision);
    const all: StoredChange[] = [];
    let name = "";
    for (;;) {
      const [target] = await tx
        .select()
        .from(steps)
        .where(and(eq(steps.versionId, id), eq(steps.kind, "edit"), eq(steps.state, direction === "undo" ? "done" : "undone")))
        .orderBy(direction === "undo" ? desc(steps.revision) : asc(steps.revision))
        .limit(1);
      const beyond = target && request.to !== undefined && (direction === "undo" ? target.revision <= request.to : target.revision > request.to);
      if (!target || beyond) break;
      name = target.name;
      const stored = direction === "undo" ? invertStored(target.changes) : target.changes;
      const changes = wholeChanges(version.doc, stored);
      const doc = applyChanges(version.doc, changes);
      await tx
        .update(steps)
        .set({ state: direction === "undo" ? "undone" : "done" })
        .where(and(eq(steps.versionId, id), eq(steps.revision, target.revision)));
      const revision = await commit(tx, version, doc, { kind: direction, name, edits: [], changes, target: target.revision });
      version = { ...version, revision, doc };
      all.push(...stored);
      if (request.to === undefined) break;
    }
    if (!name) throw new ApiError(422, `nothing-to-${direction}`, `There is nothing to ${direction}.`, { path: "", kept: "Nothing was changed." });
    return { revision: version.revision, name, changes: all, doc: version.doc };
  });
  keep(id, result.revision, result.doc);
  return { revision: result.revision, name: result.name, changes: result.changes };
}

export const HistoryQuery = z.object({ last: z.coerce.number().int().min(1).optional() });

/** The edits that count, oldest first: done ones, then those that can be redone. With `last`, only so many, and how many lie before them. */
export async function historyOf(id: string, { last }: z.infer<typeof HistoryQuery>) {
  const [version] = await db().select({ revision: versions.revision }).from(versions).where(eq(versions.id, id));
  if (!version) throw notFound("version", id);
  const counts = and(eq(steps.versionId, id), eq(steps.kind, "edit"), sql`${steps.state} <> 'dropped'`);
  const { revision, name, state, createdAt: at, summary } = steps;
  // Steps of before sizes were kept are counted as they are asked for.
  const size = sql<number>`coalesce(${steps.size}, jsonb_array_length(${steps.changes}))`;
  const query = db().select({ revision, name, state, at, size, summary }).from(steps).where(counts).orderBy(desc(steps.revision));
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
