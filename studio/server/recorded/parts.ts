import { KeptPart, MOST_PARTS, withParts } from "@wet-thread/core/model/clip/kept-part";
import { madeLength } from "@wet-thread/core/model/recipe/played-recording";
import { eq } from "drizzle-orm";
import { z } from "zod";
import { type Database, db } from "../db/client";
import { sources } from "../db/schema";
import { ApiError, notFound } from "../http/errors";
import { announceSource } from "../pieces/events";
import { registerMade } from "./made";

export const KeepParts = z.object({ parts: z.array(KeptPart).min(1, "There is nothing to keep.").max(MOST_PARTS) });

type Row = typeof sources.$inferSelect;

/** Changes the parts of a recording while nobody else does, and tells everybody. Throws ApiError. */
async function changeParts(id: string, change: (row: Row, tx: Pick<Database, "insert">) => Promise<readonly KeptPart[]>) {
  const parts = await db().transaction(async (tx) => {
    const [row] = await tx.select().from(sources).where(eq(sources.id, id)).for("update");
    if (!row) throw notFound("recording", id);
    const parts = [...(await change(row, tx))];
    await tx.update(sources).set({ parts }).where(eq(sources.id, id));
    return parts;
  });
  await announceSource(db(), id, { type: "source", sourceId: id, status: "ready", progress: 1 });
  return { parts };
}

/** Keeps parts of a recording under their names; one whose id is there already is what was changed of it. Throws ApiError 404, 409, 422. */
export const keepParts = (id: string, { parts }: z.output<typeof KeepParts>) =>
  changeParts(id, async (row, tx) => {
    if (row.status !== "ready") throw new ApiError(409, "not-ready", "The recording has not been read yet, so no part of it can be kept.", {});
    for (const [i, part] of parts.entries()) {
      if (part.offset + part.length > madeLength(row.length, part.recipe))
        throw new ApiError(422, "invalid", `${part.name} ends after its recording. Nothing was changed.`, { path: `parts.${i}.length` });
      if (part.channels?.some((c) => c >= row.channels))
        throw new ApiError(422, "invalid", `${part.name} plays a channel that its recording has not. Nothing was changed.`, {
          path: `parts.${i}.channels`,
        });
    }
    const all = withParts(row.parts, parts);
    if (all.length > MOST_PARTS)
      throw new ApiError(422, "invalid", `Of one recording up to ${MOST_PARTS} parts are kept. Nothing was changed.`, { path: "parts" });
    for (const part of parts) await registerMade(tx, { ...part, sourceId: id }, row.length);
    return all;
  });

/** Keeps a part no longer; clips that were laid of it stay. Throws ApiError 404. */
export const dropPart = (id: string, partId: string) =>
  changeParts(id, async ({ parts }) => {
    if (!parts.some((p) => p.id === partId)) throw notFound("part", partId);
    return parts.filter((p) => p.id !== partId);
  });
