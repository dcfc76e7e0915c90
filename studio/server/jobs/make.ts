import { and, eq, ne } from "drizzle-orm";
import { db } from "../db/client";
import { made, sources } from "../db/schema";
import { announceSource } from "../pieces/events";
import { makeChunks } from "../recorded/made";
import type { JobPayloads } from "./queue";

/** Makes chunks of what a recipe makes, as far as they are not there; one that was killed half way goes on where it was. */
export async function runMake({ madeId, from, to }: JobPayloads["make"]): Promise<void> {
  const [row] = await db()
    .select({ sourceId: made.sourceId })
    .from(made)
    .innerJoin(sources, eq(sources.id, made.sourceId))
    .where(eq(made.id, madeId));
  // Its recording was taken away meanwhile.
  if (!row) return;
  const say = (status: string, progress: number): Promise<void> => announceSource(db(), row.sourceId, { type: "made", madeId, status, progress });
  /** Tells how far it is; true where what it makes is not wanted any more. */
  const told = async (progress: number): Promise<boolean> => {
    const still = await db().update(made).set({ status: "rendering", progress, error: null }).where(eq(made.id, madeId)).returning({ id: made.id });
    await say("rendering", progress);
    return still.length === 0;
  };
  const indexes = Array.from({ length: to - from }, (_, i) => from + i);
  try {
    await makeChunks(madeId, indexes, (done, of) => told(done / of));
  } catch (error) {
    // It is tried again; meanwhile the clip is heard as tape.
    await say("failed", 0);
    throw error;
  }
  // Said once, by whichever of the jobs that were asked for the same comes first.
  const first = await db()
    .update(made)
    .set({ status: "ready", progress: 1, error: null })
    .where(and(eq(made.id, madeId), ne(made.status, "ready")))
    .returning({ id: made.id });
  if (first.length > 0) await say("ready", 1);
}
