import { route, writtenJson } from "@/server/http";
import { loadVersion, versionJson } from "@/server/versions";

export const GET = route(async (request, { id }) => {
  const version = await loadVersion(id);
  return writtenJson(request, `version ${id}`, `${version.revision} ${version.name}`, () => versionJson(version));
});
