import { bodyOf, route, writtenJson } from "@/server/http/http";
import { patchVersion, removeVersion, VersionPatch } from "@/server/pieces/version-list";
import { loadVersion, versionJson } from "@/server/pieces/versions";

export const GET = route(async (request, { id }) => {
  const version = await loadVersion(id);
  return writtenJson(request, `version ${id}`, `${version.revision} ${version.name}`, () => versionJson(version));
});

export const PATCH = route(async (request, { id }) => patchVersion(id, await bodyOf(request, VersionPatch)));

export const DELETE = route((_, { id }) => removeVersion(id));
