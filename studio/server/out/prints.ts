import { leadsOf } from "@wet-thread/core/edit/links/links";
import { printPlan } from "@wet-thread/core/edit/print-plan";
import { Id, Name } from "@wet-thread/core/model/schema";
import { and, eq, inArray } from "drizzle-orm";
import { z } from "zod";
import { db } from "../db/client";
import { printJobs } from "../db/schema";
import { notFound } from "../http/errors";
import { enqueue } from "../jobs/queue";
import { loadVersion } from "../pieces/versions";
import { newId } from "../process/ids";

export const PrintRequest = z.object({
  clipIds: z.array(Id).min(1, "Name at least one clip.").describe("the clips; those of each track go to one recording"),
  name: Name.optional().describe("of the new recordings; left out, the first clip's"),
  links: z.boolean().default(true).describe("whether clips that linked tracks bring in are printed too, each track's to a recording of its own"),
});

/** Starts printing clips to new recordings. Throws EditError when one is not there. */
export async function startPrint(versionId: string, { clipIds: named, name, links }: z.output<typeof PrintRequest>) {
  const { doc, revision } = await loadVersion(versionId);
  const clipIds = links ? [...named, ...leadsOf(doc, named).keys()] : named;
  const { parts } = printPlan(doc, clipIds);
  const id = newId();
  await db().transaction(async (tx) => {
    await tx.insert(printJobs).values({ id, versionId, status: "queued", revision, clipIds, name: name || `${parts[0].name || "Clip"}, printed` });
    await enqueue(tx, "print", { printId: id });
  });
  return { id };
}

export async function getPrint(id: string) {
  const [row] = await db().select().from(printJobs).where(eq(printJobs.id, id));
  if (!row) throw notFound("print", id);
  return row;
}

/** Stops a print that is under way; the clips stay as they are. */
export async function cancelPrint(id: string): Promise<{ cancelled: boolean }> {
  await getPrint(id);
  const stopped = await db()
    .update(printJobs)
    .set({ status: "failed", error: "The print was cancelled; the clips are as they were." })
    .where(and(eq(printJobs.id, id), inArray(printJobs.status, ["queued", "rendering"])))
    .returning({ id: printJobs.id });
  return { cancelled: stopped.length > 0 };
}
