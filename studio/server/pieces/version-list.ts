import { lineWithin } from "@wet-thread/core/dsp/envelope";
import { sliceOf } from "@wet-thread/core/edit/cutting/parts";
import { copiedBundles } from "@wet-thread/core/edit/laying/copies";
import { rideOver } from "@wet-thread/core/edit/laying/ride";
import { type Compared, compare, matchedTracks } from "@wet-thread/core/model/compare";
import { NEW_PIECE, PIECE_ID } from "@wet-thread/core/model/document";
import { Modes } from "@wet-thread/core/model/modes";
import { type Clip, clipEnd, Id, Name, type Piece, Position, type Track, type VersionData } from "@wet-thread/core/model/schema";
import { and, asc, eq, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import { type Database, db } from "../db/client";
import { entities, projects, sources, versions } from "../db/schema";
import { ApiError, notFound } from "../http/errors";
import { KEPT_DAYS } from "../process/days";
import { newId } from "../process/ids";
import { wantMade } from "../recorded/made";
import { ofProject } from "../recorded/sources";
import { layEntities } from "./entities";
import { announce } from "./events";
import { editVersion, loadVersion } from "./versions";

// The versions of a project: arrangements of the same recordings, each with its own history.

const VersionName = Name.refine((n) => n.length > 0, "A version needs a name.");
export const NewVersion = z.object({
  name: VersionName,
  from: Id.optional().describe("the version that it begins as a copy of; left out, it is blank"),
  description: z.string().max(2000).default(""),
});
export const VersionPatch = z.object({
  name: VersionName.optional(),
  description: z.string().max(2000).optional(),
  place: z.int().min(0).optional().describe("its place among the others, from 0"),
  modes: Modes.partial().optional().describe("how one works on it: grid, snap, neighbours and the rest of the mode line"),
});

const shown = {
  id: versions.id,
  name: versions.name,
  description: versions.description,
  revision: versions.revision,
  changedAt: versions.changedAt,
  modes: versions.modes,
};

/** The versions of a project in their order, without those that were deleted. */
export function versionsOf(projectId: string, on: Pick<Database, "select"> = db()) {
  return on
    .select(shown)
    .from(versions)
    .where(and(eq(versions.projectId, projectId), isNull(versions.removedAt)))
    .orderBy(asc(versions.place), asc(versions.createdAt));
}

async function told(projectId: string): Promise<void> {
  await announce(db(), { type: "project", projectId });
}

/**
 * A new version: a copy of another as it is now, with no history yet, or blank with the first one's tempo and meter at its beginning; or with
 * `content` that was read from a file.
 */
export async function newVersion(projectId: string, { name, from, description }: z.infer<typeof NewVersion>, content?: VersionData) {
  const [project] = await db().select().from(projects).where(eq(projects.id, projectId));
  if (!project) throw notFound("project", projectId);
  const id = newId();
  await db().transaction(async (tx) => {
    const [{ place }] = await tx
      .select({ place: sql<number>`coalesce(max(${versions.place}), -1) + 1` })
      .from(versions)
      .where(eq(versions.projectId, projectId));
    let modes: Partial<Modes> | null = null;
    if (from !== undefined) {
      const [origin] = await tx.select().from(versions).where(eq(versions.id, from)).for("share");
      if (origin?.projectId !== projectId || origin.removedAt) throw notFound("version", from);
      modes = origin.modes;
    }
    await tx.insert(versions).values({ id, projectId, name, description, place, modes });
    if (from !== undefined) {
      await tx.execute(sql`insert into entities (version_id, kind, id, data) select ${id}, kind, id, data from entities where version_id = ${from}`);
      return;
    }
    if (content) {
      await layEntities(tx, id, content);
      const lengths = await tx.select({ id: sources.id, length: sources.length }).from(sources).where(ofProject(projectId));
      await wantMade(
        tx,
        new Map(lengths.map((s) => [s.id, s])),
        content.clips.map((after) => ({ kind: "clip" as const, id: after.id, before: null, after })),
      );
      return;
    }
    const [first] = await tx
      .select({ data: entities.data })
      .from(entities)
      .innerJoin(versions, eq(versions.id, entities.versionId))
      .where(and(eq(versions.projectId, projectId), eq(entities.kind, "piece")))
      .orderBy(asc(versions.place), asc(versions.createdAt))
      .limit(1);
    const like = first?.data as Piece | undefined;
    const piece: Piece = like
      ? {
          ...NEW_PIECE,
          frameRate: like.frameRate,
          tempo: like.tempo.slice(0, 1).map(({ tick, bpm }) => ({ tick, bpm })),
          meter: like.meter.slice(0, 1),
        }
      : NEW_PIECE;
    await tx.insert(entities).values({ versionId: id, kind: "piece", id: PIECE_ID, data: piece });
  });
  await told(projectId);
  return rowOf(id);
}

async function rowOf(id: string) {
  const [row] = await db()
    .select({ ...shown, projectId: versions.projectId, removedAt: versions.removedAt })
    .from(versions)
    .where(eq(versions.id, id));
  if (!row) throw notFound("version", id);
  return row;
}

export async function patchVersion(id: string, { name, description, place, modes }: z.infer<typeof VersionPatch>) {
  const { projectId } = await rowOf(id);
  await db().transaction(async (tx) => {
    const set = Object.fromEntries(Object.entries({ name, description, modes }).filter(([, value]) => value !== undefined));
    if (Object.keys(set).length > 0) await tx.update(versions).set(set).where(eq(versions.id, id));
    if (place === undefined) return;
    // Among those that are there: deleted ones are in nobody's list.
    const rows = await tx
      .select({ id: versions.id })
      .from(versions)
      .where(and(eq(versions.projectId, projectId), isNull(versions.removedAt)))
      .orderBy(asc(versions.place), asc(versions.createdAt))
      .for("update");
    const order = rows.map((r) => r.id).filter((r) => r !== id);
    order.splice(place, 0, id);
    for (const [at, other] of order.entries()) await tx.update(versions).set({ place: at }).where(eq(versions.id, other));
  });
  await told(projectId);
  return rowOf(id);
}

/** Takes a version out of its project; it can be put back for a month. The last one stays. */
export async function removeVersion(id: string) {
  const { projectId } = await rowOf(id);
  await db().transaction(async (tx) => {
    // All of the project's are held, so that two can't take the last two at once.
    const rows = await tx
      .select({ id: versions.id, removedAt: versions.removedAt })
      .from(versions)
      .where(eq(versions.projectId, projectId))
      .for("update");
    if (rows.filter((r) => !r.removedAt && r.id !== id).length === 0)
      throw new ApiError(409, "last-version", "A project keeps at least one version. Nothing was changed.");
    await tx
      .update(versions)
      .set({ removedAt: sql`now()` })
      .where(and(eq(versions.id, id), isNull(versions.removedAt)));
  });
  await told(projectId);
  return { removed: true, days: KEPT_DAYS };
}

export async function restoreVersion(id: string) {
  const { projectId } = await rowOf(id);
  await db().update(versions).set({ removedAt: null }).where(eq(versions.id, id));
  await told(projectId);
  return rowOf(id);
}

/** Deletes versions for good that were deleted long ago. */
export async function purgeVersions(days = KEPT_DAYS): Promise<void> {
  await db().delete(versions).where(sql`${versions.removedAt} < now() - make_interval(days => ${days})`);
}

/** What is different between two versions of one project. Throws ApiError 422 where they are of different ones. */
export async function compareVersions(a: string, b: string) {
  const [one, other] = await Promise.all([loadVersion(a), loadVersion(b)]);
  if (one.projectId !== other.projectId)
    throw new ApiError(422, "other-project", "Versions of one project can be compared. Nothing was changed.", {
      path: "b",
      kept: "Nothing was changed.",
    });
  const brief = (clip: Clip | null, tracks: ReadonlyMap<string, Track>) =>
    clip && {
      id: clip.id,
      name: clip.name,
      trackId: clip.trackId,
      track: tracks.get(clip.trackId)?.name ?? "",
      sourceId: clip.sourceId,
      start: clip.start,
      length: clip.length,
      offset: clip.offset,
    };
  const row = ({ a: x, b: y, kinds }: Compared) => ({ kinds, a: brief(x, one.doc.tracks), b: brief(y, other.doc.tracks) });
  return {
    a: { id: one.id, name: one.name, revision: one.revision },
    b: { id: other.id, name: other.name, revision: other.revision },
    tracks: [...matchedTracks(one.doc, other.doc)].map(([x, y]) => ({ a: x, b: y })),
    differences: compare(one.doc, other.doc).map(row),
  };
}

export const BringRequest = z
  .object({
    revision: z.int().min(0),
    from: Id.describe("the version that it comes from"),
    clipIds: z.array(Id).min(1).max(20_000).optional(),
    range: z
      .object({ start: Position, end: Position, trackIds: z.array(Id).min(1) })
      .refine((r) => r.end > r.start, { message: "A range ends after it starts.", path: ["end"] })
      .optional(),
    trackIds: z.array(Id).min(1).optional().describe("whole tracks"),
    at: Position.optional().describe("where the first of it goes; left out, each where it lies"),
    marks: z.boolean().default(false).describe("markers and sections that lie in its span too"),
    time: z.boolean().default(false).describe("tempo, meter, frame rate and the number of the first bar too; only where `at` is left out"),
    overlap: z.enum(["layer", "cover", "blend"]).default("cover"),
    key: z.string().min(4).max(80).optional(),
  })
  .refine((r) => [r.clipIds, r.range, r.trackIds].filter(Boolean).length === 1, {
    message: "Name `clipIds`, a `range` or `trackIds`.",
    path: ["clipIds"],
  })
  .refine((r) => !r.time || r.at === undefined, { message: "Tempo and meter come along to where they lie only: leave `at` out.", path: ["time"] });

/**
 * Brings clips of another version of the project here, as one step; tracks that are not here come with them, take stacks and bundles that come whole
 * stay such, and whole tracks bring their ride. Nothing changes there.
 */
export async function bringOver(id: string, request: z.infer<typeof BringRequest>) {
  const [here, there] = await Promise.all([loadVersion(id), loadVersion(request.from)]);
  if (here.projectId !== there.projectId)
    throw new ApiError(422, "other-project", "Clips can be brought over from a version of the same project. Nothing was changed.", {
      path: "from",
      kept: "Nothing was changed.",
    });
  const { doc } = there;
  const { range, clipIds, trackIds } = request;
  const clips = clipIds
    ? clipIds.map((c) => doc.clips.get(c)).filter((c) => c !== undefined)
    : (range?.trackIds ?? trackIds ?? [])
        .flatMap((t) => [...(doc.lanes.get(t)?.clips ?? [])])
        .filter((c) => !range || (c.start < range.end && clipEnd(c) > range.start));
  if (clips.length === 0)
    throw new ApiError(422, "impossible", "There is nothing to bring over there.", {
      path: clipIds ? "clipIds" : "range",
      kept: "Nothing was changed.",
    });
  const sliced = range ? clips.flatMap((c) => sliceOf(c, range.start, range.end) ?? []) : clips;
  const first = range ? range.start : Math.min(...sliced.map((c) => c.start));
  const last = range ? range.end : Math.max(...sliced.map(clipEnd));
  const at = request.at ?? first;
  const to = new Map([...matchedTracks(there.doc, here.doc)]);
  const order = doc.piece.trackOrder.filter((t) => sliced.some((c) => c.trackId === t));
  const added = order.filter((t) => !to.has(t)).map((t) => doc.tracks.get(t) as Track);
  const fresh = new Map(added.map((t) => [t.id, newId()]));
  const ids = new Set(sliced.map((c) => c.id));
  const hereOf = (trackId: string): string => to.get(trackId) ?? (fresh.get(trackId) as string);
  const whole = copiedBundles({ doc }, sliced);
  const wholes = [...whole.values()].map((b) => ({
    ...b,
    trackId: hereOf(b.trackId),
    start: b.start - first,
    parent: whole.has(b.parent ?? "") ? b.parent : null,
  }));
  const pasted = sliced.map(({ take, ...c }) => ({
    ...c,
    trackId: hereOf(c.trackId),
    start: c.start - first,
    ...(c.bundle !== null && whole.has(c.bundle) ? { ...(take !== undefined && { take }) } : { bundle: null }),
    blend: c.blend && ids.has(c.blend.with) ? { ...c.blend, splice: c.blend.splice - first } : null,
  }));
  const marks = request.marks
    ? [
        ...[...doc.markers.values()]
          .filter((m) => m.position >= first && m.position < last)
          .map((m) => ({ type: "add-marker", position: m.position - first + at, name: m.name, color: m.color })),
        ...[...doc.sections.values()]
          .filter((s) => s.start >= first && s.end <= last)
          .map((s) => ({ type: "add-section", start: s.start - first + at, end: s.end - first + at, name: s.name, color: s.color })),
      ]
    : [];
  const tracks = added.flatMap((t) => [
    { type: "add-track", id: fresh.get(t.id) as string, name: t.name },
    { type: "set-track", trackIds: [fresh.get(t.id) as string], color: t.color, height: t.height, gain: t.gain, pan: t.pan },
  ]);
  // What lies on a track that comes whole is as loud as it was there.
  const rides = (trackIds ? order : []).flatMap((t) => {
    const span = doc.tracks.get(t)?.ride;
    const points = rideOver(
      here.doc.tracks.get(hereOf(t))?.ride,
      span && lineWithin(span, first, last, "gain").map((p) => ({ ...p, at: p.at - first })),
      at,
      last - first,
    );
    return points ? [{ type: "set-ride", trackIds: [hereOf(t)], points }] : [];
  });
  const { tempo, meter, frameRate, firstBar } = doc.piece;
  const time = request.time ? [{ type: "set-time", tempo, meter, frameRate, firstBar, keep: "time" }] : [];
  const edits = [...time, ...tracks, { type: "paste", at, clips: pasted, wholes, overlap: request.overlap }, ...rides, ...marks];
  return editVersion(id, { revision: request.revision, edits, name: `Bring over from ${there.name}`, key: request.key });
}
