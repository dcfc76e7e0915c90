import { route } from "@/server/http/http";
import { restoreProject } from "@/server/pieces/projects";

export const POST = route((_, { id }) => restoreProject(id));
