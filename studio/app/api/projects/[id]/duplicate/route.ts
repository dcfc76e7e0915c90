import { Name } from "@wet-thread/core/model/schema";
import { z } from "zod";
import { bodyOf, route } from "@/server/http/http";
import { duplicateProject } from "@/server/pieces/projects";

const Duplicate = z.object({ name: Name.optional() });

export const POST = route(async (request, { id }) => duplicateProject(id, (await bodyOf(request, Duplicate)).name), 201);
