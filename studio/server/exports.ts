import { documentEnd } from "@wet-thread/core/model/document";
import { Id, Position } from "@wet-thread/core/model/schema";
import { and, eq, inArray, sql } from "drizzle-orm";
import { z } from "zod";
import { db } from "./db/client";
import { exportJobs } from "./db/schema";
import { ApiError, notFound } from "./errors";
import { newId } from "./ids";
import { enqueue } from "./jobs/queue";
import { loadVersion, loadVersionAt } from "./versions";

export const ExportRequest = z.object({
  span: z
    .object({ start: Position, end: Position })
    .refine((s) => s.end > s.start, { message: "A span ends after it starts.", path: ["end"] })
    .optional()
    .describe("samples; left out, from zero to the end of the last clip"),
  tracks: z.array(Id).min(1).optional().describe("only these tracks"),
  clips: z.array(Id).min(1).max(20_000).optional().describe("only these clips, whatever else lies on their tracks"),
  format: z.enum(["wav"]).default("wav"),
  encoding: z.enum(["pcm16", "pcm24", "float32"]).default("pcm24"),
  channels: z.union([z.literal(1), z.literal(2)]).default(2),
  dither: z.boolean().default(true).describe("TPDF on the way to integers; samples that lie on a step already stay as they are"),
  seed: z.int().min(1).default(1).describe("of the dither"),
  revision: z
    .int()
    .min(0)
    .max(2 ** 31 - 1)
    .optional()
    .describe("the state of the version that is rendered; left out, the present one"),
});
export type ExportSpec = Omit<z.output<typeof ExportRequest>, "revision">;

/** Queues the rendering of a version as it is now, or was at a revision: what is edited afterwards does not count. */
export async function startExport(versionId: string, { revision: asked, ...request }: z.output<typeof ExportRequest>) {
  const { doc, name, revision } = await (asked === undefined ? loadVersion(versionId) : loadVersionAt(versionId, asked));
  const end = documentEnd(doc);
  if (!request.span && end === 0)
    throw new ApiError(422, "impossible", "There is nothing to export: the piece has no clips.", { path: "span", kept: "Nothing was changed." });
  for (const id of request.tracks ?? [])
    if (!doc.tracks.has(id))
      throw new ApiError(422, "impossible", `There is no track "${id}" here.`, { path: "tracks", kept: "Nothing was changed." });
  for (const id of request.clips ?? [])
    if (!doc.clips.has(id)) throw new ApiError(422, "impossible", `There is no clip "${id}" here.`, { path: "clips", kept: "Nothing was changed." });
  const spec = { ...request, span: request.span ?? { start: 0, end } };
  const id = newId();
  await db().transaction(async (tx) => {
    await tx.insert(exportJobs).values({ id, versionId, status: "queued", revision, spec, name: `${name}.wav` });
    await enqueue(tx, "export", { exportId: id });
  });
  return { id, revision };
}

export async function getExport(id: string) {
  const [row] = await db().select().from(exportJobs).where(eq(exportJobs.id, id));
  if (!row) throw notFound("export", id);
  return row;
}

/** Calls an export off where it is under way, and takes it away with its bytes. */
export async function removeExport(id: string): Promise<{ removed: true }> {
  await getExport(id);
  await db().delete(exportJobs).where(eq(exportJobs.id, id));
  return { removed: true };
}

/** Days after which an export may go: it can be rendered again, of the same revision. */
const KEPT_DAYS = 30;

/** Deletes exports that have long ended. Returns how many. */
export async function purgeExports(days = KEPT_DAYS): Promise<number> {
  const gone = await db()
    .delete(exportJobs)
    .where(and(sql`${exportJobs.createdAt} < now() - make_interval(days => ${days})`, inArray(exportJobs.status, ["ready", "failed"])))
    .returning({ id: exportJobs.id });
  return gone.length;
}
