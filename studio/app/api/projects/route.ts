import { z } from "zod";
import { bodyOf, queryOf, route } from "@/server/http/http";
import { createProject, listProjects, NewProject } from "@/server/pieces/projects";

export const dynamic = "force-dynamic";

const Query = z.object({ removed: z.coerce.number().optional().describe("1: those that were removed and can be put back") });

export const GET = route(async (request) => ({ projects: await listProjects(queryOf(request, Query).removed === 1) }));
export const POST = route(async (request) => createProject(await bodyOf(request, NewProject)), 201);
