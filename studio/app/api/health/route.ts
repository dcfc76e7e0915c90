import { sql } from "drizzle-orm";
import { db } from "@/server/db/client";
import { route } from "@/server/http";

export const dynamic = "force-dynamic";

export const GET = route(async () => {
  await db().execute(sql`select 1`);
  return { ok: true, database: "up", version: "0.1.0" };
});
