import { z } from "zod";
import { readArchive } from "@/server/archive/read";
import { queryOf, route } from "@/server/http";

const Query = z.object({ partial: z.coerce.number().optional().describe("1: of a damaged archive, what is whole") });

/** Makes a project of an archive. */
export const POST = route(async (request) => readArchive(request.body, queryOf(request, Query).partial === 1), 201);
