import { eq, sql } from "drizzle-orm";
import { db } from "../db/client";
import { made, sources } from "../db/schema";
import { announce } from "../events";
import { makeChunks } from "../made";
import type { JobPayloads } from "./queue";

/** Makes chunks of what a recipe makes, as far as they are not there; one that was killed half way goes on where it was. */
export async function runMake({ madeId, from, to }: JobPayloads["make"]): Promise<void> {
  const [row] = await db()
    .select({ projectId: sources.projectId })
    .from(made)
    .innerJoin(sources, eq(sources.id, made.sourceId))
    .where(eq(made.id, madeId));
  // Its recording was taken away meanwhile.
  if (!row) return;
  const tell = async (status: "rendering" | "ready", progress: number): Promise<boolean> => {
    const still = await db().update(made).set({ status, progress, error: null }).where(eq(made.id, madeId)).returning({ id: made.id });
    await announce(db(), { type: "made", projectId: row.projectId, madeId, status, progress });
    return still.length === 0;
  };
  const indexes = Array.from({ length: to - from }, (_, i) => from + i);
  let begun = false;
  try {
    await makeChunks(madeId, indexes, async (done, of) => {
      begun = true;
      return tell("rendering", done / of);
    });
  } catch (error) {
    // It is tried again; meanwhile the clip is heard as tape.
    await announce(db(), { type: "made", projectId: row.projectId, madeId, status: "failed", progress: 0 });
    throw error;
  }
  if (begun || (await isUnderWay(madeId))) await tell("ready", 1);
}

const isUnderWay = async (id: string): Promise<boolean> => {
  const [row] = await db()
    .select({ other: sql<boolean>`${made.status} <> 'ready'` })
    .from(made)
    .where(eq(made.id, id));
  return row?.other ?? false;
};
