import { fileNames } from "@wet-thread/core/media/file-names";
import { OUT_FORMATS } from "@wet-thread/core/media/writers";
import { documentEnd } from "@wet-thread/core/model/document";
import { desc, eq, sql } from "drizzle-orm";
import { z } from "zod";
import { db } from "../db/client";
import { exportJobs, versions } from "../db/schema";
import { ApiError, notFound } from "../http/errors";
import { enqueue } from "../jobs/queue";
import { getProjectName } from "../pieces/projects";
import { loadVersion, loadVersionAt } from "../pieces/versions";
import { KEPT_DAYS } from "../process/days";
import { newId } from "../process/ids";
import { mostBytes } from "../recorded/sources";
import { exportParts } from "./export-parts";
import { type ExportRequest, type ExportSpec, rateOf, SPLITS } from "./export-request";

/** The names of an export's files. */
export async function namesOf(
  spec: ExportSpec,
  parts: readonly { track: string; name: string }[],
  version: string,
  projectId: string,
): Promise<string[]> {
  const project = await getProjectName(projectId);
  const pattern = spec.pattern || SPLITS[spec.split];
  return fileNames(
    pattern,
    parts.map(({ track, name }, i) => ({ project, version, track, name, n: i + 1, count: parts.length })),
    OUT_FORMATS[spec.format].ending,
  );
}

/** Bytes of a sample at most. */
const SAMPLE_BYTES = 4;

async function planned(versionId: string, { revision: asked, ...request }: z.output<typeof ExportRequest>) {
  const loaded = await (asked === undefined ? loadVersion(versionId) : loadVersionAt(versionId, asked));
  const { doc } = loaded;
  const refuse = (path: string, message: string): never => {
    throw new ApiError(422, "impossible", message, { path, kept: "Nothing was changed." });
  };
  const end = documentEnd(doc);
  if (!request.span && end === 0) refuse("span", "There is nothing to export: the piece has no clips.");
  for (const id of request.tracks ?? []) if (!doc.tracks.has(id)) refuse("tracks", `There is no track "${id}" here.`);
  for (const id of request.clips ?? []) if (!doc.clips.has(id)) refuse("clips", `There is no clip "${id}" here.`);
  for (const id of request.sections ?? []) if (!doc.sections.has(id)) refuse("sections", `There is no section "${id}" here.`);
  const spec: ExportSpec = { ...request, span: request.span ?? { start: 0, end } };
  const parts = exportParts(doc, spec);
  if (parts.length === 0) refuse("split", `There is nothing to export: no ${request.split} lie there.`);
  const rate = rateOf(spec, doc.sampleRate);
  const frames = parts.reduce((sum, p) => sum + p.length, 0) * (rate / doc.sampleRate);
  const bytes = frames * spec.channels * SAMPLE_BYTES;
  if (bytes > mostBytes())
    refuse(
      "span",
      `This export would have ${(frames / rate / 3600).toFixed(0)} h of sound, some ${(bytes / 2 ** 30).toFixed(0)} GiB; up to ${(mostBytes() / 2 ** 30).toFixed(0)} GiB are written. Take a shorter span, or fewer files at a time.`,
    );
  const names = await namesOf(spec, parts, loaded.name, loaded.projectId);
  return { loaded, spec, names };
}

/** The files that an export would write, by name. */
export async function previewExport(versionId: string, request: z.output<typeof ExportRequest>) {
  const { names } = await planned(versionId, request);
  return { files: names.slice(0, 200), count: names.length };
}

/** Queues the rendering of a version as it is now, or was at a revision: what is edited afterwards does not count. */
export async function startExport(versionId: string, request: z.output<typeof ExportRequest>) {
  const { loaded, spec, names } = await planned(versionId, request);
  const { revision, name } = loaded;
  const several = names.length > 1;
  const type = spec.measure ? "" : several ? "application/zip" : OUT_FORMATS[spec.format].type;
  const file = several ? fileNames("{version}", [{ project: "", version: name, track: "", name: "", n: 1, count: 1 }], ".zip")[0] : names[0];
  const id = newId();
  await db().transaction(async (tx) => {
    await tx.insert(exportJobs).values({ id, versionId, status: "queued", revision, spec, name: file, type });
    await enqueue(tx, "export", { exportId: id });
  });
  return { id, revision };
}

/** Deletes exports, with their files, that were made long ago. */
export async function purgeExports(days = KEPT_DAYS): Promise<void> {
  await db().delete(exportJobs).where(sql`${exportJobs.createdAt} < now() - make_interval(days => ${days}) and status in ('ready', 'failed')`);
}

export async function getExport(id: string) {
  const [row] = await db().select().from(exportJobs).where(eq(exportJobs.id, id));
  if (!row) throw notFound("export", id);
  return row;
}

/** Most exports that are listed. */
const LISTED = 500;

/** The exports of a project, the last first, with what each was made from. */
export async function listExports(projectId: string) {
  const rows = await db()
    .select({ job: exportJobs, version: versions.name, now: versions.revision })
    .from(exportJobs)
    .innerJoin(versions, eq(exportJobs.versionId, versions.id))
    .where(eq(versions.projectId, projectId))
    .orderBy(desc(exportJobs.createdAt))
    .limit(LISTED);
  return rows.map(({ job, version, now }) => ({ ...job, version, changed: now !== job.revision }));
}

export const Again = z.object({ same: z.boolean().default(false).describe("of the revision that it was made from; otherwise of the present one") });

/** Makes an export again with the same settings. */
export async function exportAgain(id: string, { same }: z.output<typeof Again>) {
  const { versionId, revision, spec } = await getExport(id);
  const { span, ...rest } = spec as ExportSpec;
  return startExport(versionId, { ...rest, span, ...(same && { revision }) });
}

/** Calls an export off where it is under way, and takes it away with its bytes. */
export async function removeExport(id: string): Promise<{ removed: true }> {
  await getExport(id);
  await db().delete(exportJobs).where(eq(exportJobs.id, id));
  return { removed: true };
}
