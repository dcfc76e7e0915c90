import { databaseAnswers } from "@/server/db/client";
import { route } from "@/server/http/http";

export const dynamic = "force-dynamic";

export const GET = route(async () => {
  await databaseAnswers();
  return { ok: true, database: "up", version: "0.1.0" };
});
