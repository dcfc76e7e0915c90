import { NEW_PIECE, PIECE_ID } from "@wet-thread/core/model/document";
import { Modes } from "@wet-thread/core/model/modes";
import { Meter, Name, type Piece, Piece as PieceSchema, Tempo } from "@wet-thread/core/model/schema";
import { MeterMap } from "@wet-thread/core/time/meter";
import { TempoMap } from "@wet-thread/core/time/tempo";
import { and, desc, eq, inArray, isNotNull, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import { type Database, db } from "../db/client";
import { entities, projects, sharedSources, sources, versions } from "../db/schema";
import { ApiError, notFound } from "../http/errors";
import { KEPT_DAYS } from "../process/days";
import { newId } from "../process/ids";
import { ofProject, shown } from "../recorded/sources";
import { announce } from "./events";
import { versionsOf } from "./version-list";
import { keepNew } from "./versions";

const number = z.number();
export const NewProject = z
  .object({
    name: Name.refine((n) => n.length > 0, "A project needs a name."),
    sampleRate: z.int().min(8000).max(192_000).default(48_000),
    tempo: z.union([number.min(20).max(400), z.array(Tempo).min(1)]).optional(),
    meter: z
      .union([z.string().regex(/^\d{1,2}\/\d{1,2}$/, "A meter is written like 4/4."), Meter.omit({ tick: true }), z.array(Meter).min(1)])
      .optional(),
    frameRate: PieceSchema.shape.frameRate.optional(),
    version: Name.optional().describe("name of the first version"),
    modes: Modes.partial().optional().describe("how its first version is worked on; see PATCH /api/versions/{id}"),
  })
  .superRefine((p, context) => {
    // Maps that no edit could work with must never come to be.
    try {
      const { tempo, meter } = piece(p);
      new TempoMap(tempo, p.sampleRate);
      new MeterMap(meter);
    } catch (error) {
      context.addIssue({ code: "custom", message: (error as Error).message, path: [Array.isArray(p.tempo) ? "tempo" : "meter"] });
    }
  });

interface NewMaps {
  readonly tempo?: number | readonly z.infer<typeof Tempo>[];
  readonly meter?: string | { readonly numerator: number; readonly denominator: number } | readonly z.infer<typeof Meter>[];
  readonly frameRate?: string;
}

function piece(p: NewMaps): Piece {
  const tempo = p.tempo === undefined ? NEW_PIECE.tempo : typeof p.tempo === "number" ? [{ tick: 0, bpm: p.tempo }] : p.tempo;
  const [numerator, denominator] = typeof p.meter === "string" ? p.meter.split("/").map(Number) : [4, 4];
  const meter = Array.isArray(p.meter)
    ? p.meter
    : p.meter && typeof p.meter === "object"
      ? [{ tick: 0, ...p.meter }]
      : [{ tick: 0, numerator, denominator }];
  return PieceSchema.parse({ ...NEW_PIECE, tempo, meter, frameRate: p.frameRate ?? NEW_PIECE.frameRate });
}

export async function createProject(p: z.infer<typeof NewProject>) {
  const [projectId, versionId] = [newId(), newId()];
  const data = piece(p);
  await db().transaction(async (tx) => {
    await tx.insert(projects).values({ id: projectId, name: p.name, sampleRate: p.sampleRate });
    await tx.insert(versions).values({ id: versionId, projectId, name: p.version || "First version", modes: p.modes });
    await tx.insert(entities).values({ versionId, kind: "piece", id: PIECE_ID, data });
  });
  keepNew(versionId, p.sampleRate, data);
  return getProject(projectId);
}

/** The projects that are there, or those that were removed and can be put back. */
export async function listProjects(removed = false) {
  const rows = await db()
    .select({
      id: projects.id,
      name: projects.name,
      sampleRate: projects.sampleRate,
      createdAt: projects.createdAt,
      // The present table is named inside the sub-selects: Drizzle leaves it off in a select from one table.
      sources: sql<number>`(select count(*)::int from sources s where s.project_id = projects.id) + (select count(*)::int from shared_sources h where h.project_id = projects.id)`,
      // Of its own recordings: the bytes as they came, and samples beside them where they had another rate.
      bytes: sql<number>`(select coalesce(sum(s.bytes + case when s.layout is null then s.length * s.channels * 4 else 0 end), 0)::float8 from sources s where s.project_id = projects.id)`,
      versions: sql<number>`(select count(*)::int from versions v where v.project_id = projects.id and v.removed_at is null)`,
      tracks: sql<number>`(select count(*)::int from entities e join versions v on v.id = e.version_id where v.project_id = projects.id and v.removed_at is null and e.kind = 'track')`,
      // A copy has its versions' own dates; that it was made counts too.
      changedAt: sql<string>`greatest(projects.created_at, (select max(v.changed_at) from versions v where v.project_id = projects.id))`,
    })
    .from(projects)
    .where(removed ? isNotNull(projects.removedAt) : isNull(projects.removedAt))
    .orderBy(desc(projects.createdAt));
  return rows;
}

/** The version that a project opens with; undefined when there is no such project. */
export async function firstVersion(projectId: string): Promise<string | undefined> {
  const [row] = await db()
    .select({ id: versions.id })
    .from(versions)
    .where(and(eq(versions.projectId, projectId), isNull(versions.removedAt)))
    .orderBy(versions.place, versions.createdAt)
    .limit(1)
    .catch(() => []);
  return row?.id;
}

/** The name of a project. Throws ApiError 404. */
export async function getProjectName(id: string): Promise<string> {
  const [project] = await db().select({ name: projects.name }).from(projects).where(eq(projects.id, id));
  if (!project) throw notFound("project", id);
  return project.name;
}

export async function getProject(id: string, on: Pick<Database, "select"> = db()) {
  const [project] = await on.select().from(projects).where(eq(projects.id, id));
  if (!project) throw notFound("project", id);
  if (project.removedAt)
    throw new ApiError(
      410,
      "deleted",
      `The project “${project.name}” was removed. It can be put back for ${KEPT_DAYS} days; what is in it is kept.`,
      {
        kept: "Nothing was changed.",
      },
    );
  const [sourceRows, sharedRows, versionRows] = await Promise.all([
    on.select().from(sources).where(ofProject(id)).orderBy(sources.createdAt),
    on.select().from(sharedSources).where(eq(sharedSources.projectId, id)),
    versionsOf(id, on),
  ]);
  const shared = new Map(sharedRows.map((r) => [r.sourceId, r.removedAt]));
  const listed = sourceRows.map((row) => shown(shared.has(row.id) ? { ...row, removedAt: shared.get(row.id) ?? null } : row));
  return { ...project, sources: listed, versions: versionRows };
}

export const ProjectPatch = z.object({ name: NewProject.shape.name });

export async function renameProject(id: string, { name }: z.infer<typeof ProjectPatch>) {
  const done = await db().update(projects).set({ name }).where(eq(projects.id, id)).returning({ id: projects.id });
  if (done.length === 0) throw notFound("project", id);
  await announce(db(), { type: "project", projectId: id });
  return getProject(id);
}

/** Takes a project out of the list; it can be put back for a month. */
export async function removeProject(id: string) {
  const done = await db()
    .update(projects)
    .set({ removedAt: sql`now()` })
    .where(and(eq(projects.id, id), isNull(projects.removedAt)))
    .returning({ id: projects.id });
  if (done.length === 0) throw notFound("project", id);
  await announce(db(), { type: "project", projectId: id });
  return { removed: true, days: KEPT_DAYS };
}

export async function restoreProject(id: string) {
  const done = await db().update(projects).set({ removedAt: null }).where(eq(projects.id, id)).returning({ id: projects.id });
  if (done.length === 0) throw notFound("project", id);
  await announce(db(), { type: "project", projectId: id });
  return getProject(id);
}

/** Deletes projects for good that were removed long ago. Recordings that others share go over to one of those. */
export async function purgeProjects(days = KEPT_DAYS): Promise<void> {
  const gone = await db().select({ id: projects.id }).from(projects).where(sql`${projects.removedAt} < now() - make_interval(days => ${days})`);
  for (const { id } of gone)
    await db().transaction(async (tx) => {
      await tx.execute(sql`with moved as (
          update sources set project_id = h.project_id, removed_at = null
          from (select distinct on (source_id) source_id, project_id from shared_sources where project_id <> ${id} order by source_id) h
          where sources.id = h.source_id and sources.project_id = ${id} returning sources.id, sources.project_id)
        delete from shared_sources using moved where shared_sources.source_id = moved.id and shared_sources.project_id = moved.project_id`);
      await tx.delete(projects).where(eq(projects.id, id));
    });
}

/**
 * A copy of a project: its versions with their histories, and the same recordings, which both share. All of it is of one moment, whoever edits
 * meanwhile.
 */
export async function duplicateProject(id: string, name?: string) {
  const copy = newId();
  const copied = async (tx: Parameters<Parameters<Database["transaction"]>[0]>[0]): Promise<void> => {
    const project = await getProject(id, tx);
    await tx.insert(projects).values({ id: copy, name: (name || `${project.name}, copy`).slice(0, 200), sampleRate: project.sampleRate });
    for (const source of project.sources)
      await tx.insert(sharedSources).values({ projectId: copy, sourceId: source.id, removedAt: source.removedAt });
    for (const { id: from } of project.versions) {
      const to = newId();
      await tx.execute(sql`insert into versions (id, project_id, name, description, place, revision, changed_at, modes)
        select ${to}, ${copy}, name, description, place, revision, changed_at, modes from versions where id = ${from}`);
      await tx.execute(sql`insert into entities (version_id, kind, id, data) select ${to}, kind, id, data from entities where version_id = ${from}`);
      await tx.execute(sql`insert into steps (version_id, revision, key, row, kind, name, edits, changes, size, summary, target, state, created_at)
        select ${to}, revision, key, row, kind, name, edits, changes, size, summary, target, state, created_at from steps where version_id = ${from}`);
    }
  };
  await db().transaction(copied, { isolationLevel: "repeatable read" });
  return getProject(copy);
}

/** Columns of the picture. */
const COLUMNS = 240;

/** A small picture of a project's first version: for each track its colour, and the columns that hold clips as pairs of from and to. */
export async function pictureOf(id: string) {
  const version = await firstVersion(id);
  if (!version) throw notFound("project", id);
  const [rows, [piece]] = await Promise.all([
    db()
      .select({
        id: entities.id,
        kind: entities.kind,
        track: sql<string>`${entities.data}->>'trackId'`,
        color: sql<string>`${entities.data}->>'color'`,
        start: sql<number>`(${entities.data}->>'start')::float8`,
        length: sql<number>`(${entities.data}->>'length')::float8`,
      })
      .from(entities)
      .where(and(eq(entities.versionId, version), inArray(entities.kind, ["track", "clip"]))),
    db()
      .select({ data: entities.data })
      .from(entities)
      .where(and(eq(entities.versionId, version), eq(entities.kind, "piece"))),
  ]);
  const clips = rows.filter((r) => r.kind === "clip");
  const end = Math.max(1, ...clips.map((c) => c.start + c.length));
  const order = (piece?.data as Piece | undefined)?.trackOrder ?? [];
  return {
    columns: COLUMNS,
    tracks: order.flatMap((trackId) => {
      const track = rows.find((r) => r.kind === "track" && r.id === trackId);
      if (!track) return [];
      const lit = new Uint8Array(COLUMNS);
      for (const c of clips)
        if (c.track === trackId)
          lit.fill(
            1,
            Math.floor((c.start / end) * COLUMNS),
            Math.max(1 + Math.floor((c.start / end) * COLUMNS), Math.round(((c.start + c.length) / end) * COLUMNS)),
          );
      const spans: [number, number][] = [];
      for (let x = 0; x < COLUMNS; x++) {
        if (!lit[x]) continue;
        const last = spans.at(-1);
        if (last?.[1] === x) last[1]++;
        else spans.push([x, x + 1]);
      }
      return [{ color: track.color, spans }];
    }),
  };
}
