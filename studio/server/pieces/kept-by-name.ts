import { Name } from "@wet-thread/core/model/schema";
import { asc, eq, sql } from "drizzle-orm";
import type { z } from "zod";
import { db } from "../db/client";
import type { feels, presets } from "../db/schema";
import { notFound } from "../http/errors";
import { newId } from "../process/ids";

/** What people keep under a name for every project. `fields` is what such a thing has besides its name; `what` names one in messages. */
export function keptByName<T extends z.ZodRawShape>(table: typeof presets | typeof feels, what: string, fields: z.ZodObject<T>) {
  const Request = fields.extend({ name: Name.refine((n) => n.length > 0, { message: `A ${what} has a name.` }) });
  type Content = z.infer<typeof fields>;
  type Kept = Content & { readonly id: string; readonly name: string };
  return {
    Request,

    /** Every one whose content can still be read, by name. */
    async list(): Promise<Kept[]> {
      const rows = await db().select().from(table).orderBy(asc(table.name));
      return rows.flatMap(({ id, name, content }) => {
        const read = fields.safeParse(content);
        return read.success ? [{ ...read.data, id, name }] : [];
      });
    },

    /** Keeps something under a name; what there was under it is replaced. */
    async keep(request: Content & { readonly name: string }): Promise<Kept> {
      const content = fields.parse(request);
      const [row] = await db()
        .insert(table)
        .values({ id: newId(), name: request.name, content })
        .onConflictDoUpdate({ target: table.name, set: { content: sql`excluded.content` } })
        .returning();
      return { ...content, id: row.id, name: row.name };
    },

    async remove(id: string): Promise<{ removed: true }> {
      const gone = await db().delete(table).where(eq(table.id, id)).returning({ id: table.id });
      if (gone.length === 0) throw notFound(what, id);
      return { removed: true };
    },
  };
}
