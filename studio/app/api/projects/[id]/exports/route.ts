import { KEPT_DAYS } from "@/server/days";
import { listExports } from "@/server/exports";
import { route } from "@/server/http";

export const GET = route(async (_, { id }) => ({ exports: await listExports(id), days: KEPT_DAYS }));
