import { Name } from "@wet-thread/core/model/schema";
import { Chain, type Processor } from "@wet-thread/core/model/treatment";
import { asc, eq, sql } from "drizzle-orm";
import { z } from "zod";
import { db } from "./db/client";
import { presets } from "./db/schema";
import { notFound } from "./errors";
import { newId } from "./ids";

export const PresetRequest = z.object({ name: Name.refine((n) => n.length > 0, { message: "A preset has a name." }), chain: Chain });

export interface Preset {
  readonly id: string;
  readonly name: string;
  readonly chain: readonly Processor[];
}

/** Every preset whose chain can still be read, by name. */
export async function listPresets(): Promise<Preset[]> {
  const rows = await db().select().from(presets).orderBy(asc(presets.name));
  return rows.flatMap(({ id, name, chain }) => {
    const read = Chain.safeParse(chain);
    return read.success ? [{ id, name, chain: read.data }] : [];
  });
}

/** Keeps a chain under a name; one that there was under it is replaced. */
export async function keepPreset({ name, chain }: z.infer<typeof PresetRequest>): Promise<Preset> {
  const [row] = await db()
    .insert(presets)
    .values({ id: newId(), name, chain })
    .onConflictDoUpdate({ target: presets.name, set: { chain: sql`excluded.chain` } })
    .returning();
  return { id: row.id, name: row.name, chain: row.chain };
}

export async function removePreset(id: string): Promise<{ removed: true }> {
  const gone = await db().delete(presets).where(eq(presets.id, id)).returning({ id: presets.id });
  if (gone.length === 0) throw notFound("preset", id);
  return { removed: true };
}
