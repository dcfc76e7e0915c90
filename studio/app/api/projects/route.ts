import { bodyOf, route } from "@/server/http";
import { createProject, listProjects, NewProject } from "@/server/projects";

export const dynamic = "force-dynamic";

export const GET = route(async () => ({ projects: await listProjects() }));
export const POST = route(async (request) => createProject(await bodyOf(request, NewProject)), 201);
