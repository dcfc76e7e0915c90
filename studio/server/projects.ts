import { NEW_PIECE, PIECE_ID } from "@wet-thread/core/model/document";
import { Meter, Name, type Piece, Piece as PieceSchema, Tempo } from "@wet-thread/core/model/schema";
import { MeterMap } from "@wet-thread/core/time/meter";
import { TempoMap } from "@wet-thread/core/time/tempo";
import { and, desc, eq, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import { db } from "./db/client";
import { entities, projects, sources, versions } from "./db/schema";
import { notFound } from "./errors";
import { newId } from "./ids";
import { shown } from "./sources";
import { versionsOf } from "./version-list";

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
    await tx.insert(versions).values({ id: versionId, projectId, name: p.version || "First version" });
    await tx.insert(entities).values({ versionId, kind: "piece", id: PIECE_ID, data });
  });
  return getProject(projectId);
}

export async function listProjects() {
  const rows = await db()
    .select({
      id: projects.id,
      name: projects.name,
      sampleRate: projects.sampleRate,
      createdAt: projects.createdAt,
      // The present table is named inside the sub-selects: Drizzle leaves it off in a select from one table.
      sources: sql<number>`(select count(*)::int from sources s where s.project_id = projects.id)`,
      versions: sql<number>`(select count(*)::int from versions v where v.project_id = projects.id and v.removed_at is null)`,
      tracks: sql<number>`(select count(*)::int from entities e join versions v on v.id = e.version_id where v.project_id = projects.id and v.removed_at is null and e.kind = 'track')`,
      // Colours of the first version's tracks, in their order.
      dyes: sql<string[]>`(
        select coalesce(array_agg(t.data->>'color' order by o.place), '{}')
        from entities p, jsonb_array_elements_text(p.data->'trackOrder') with ordinality as o(id, place), entities t
        where p.kind = 'piece' and p.version_id = (select v.id from versions v where v.project_id = projects.id and v.removed_at is null order by v.place, v.created_at limit 1)
          and t.version_id = p.version_id and t.kind = 'track' and t.id = o.id)`,
      changedAt: sql<string>`(select max(v.changed_at) from versions v where v.project_id = projects.id)`,
    })
    .from(projects)
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

export async function getProject(id: string) {
  const [project] = await db().select().from(projects).where(eq(projects.id, id));
  if (!project) throw notFound("project", id);
  const [sourceRows, versionRows] = await Promise.all([
    db().select().from(sources).where(eq(sources.projectId, id)).orderBy(sources.createdAt),
    versionsOf(id),
  ]);
  return { ...project, sources: sourceRows.map(shown), versions: versionRows };
}
