import { route } from "@/server/http";
import { getProject } from "@/server/projects";

export const GET = route((_, { id }) => getProject(id));
