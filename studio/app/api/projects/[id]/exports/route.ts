import { route } from "@/server/http/http";
import { listExports } from "@/server/out/exports";
import { KEPT_DAYS } from "@/server/process/days";

export const GET = route(async (_, { id }) => ({ exports: await listExports(id), days: KEPT_DAYS }));
