import { route } from "@/server/http";
import { loadVersion, versionJson } from "@/server/versions";

export const GET = route(async (_, { id }) => versionJson(await loadVersion(id)));
