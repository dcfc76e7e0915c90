import { bodyOf, route } from "@/server/http/http";
import { getProject, ProjectPatch, removeProject, renameProject } from "@/server/pieces/projects";

export const GET = route((_, { id }) => getProject(id));
export const PATCH = route(async (request, { id }) => renameProject(id, await bodyOf(request, ProjectPatch)));
export const DELETE = route((_, { id }) => removeProject(id));
