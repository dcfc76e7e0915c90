import { z } from "zod";
import { queryOf, route } from "@/server/http";
import { appendRecording, dropRecording, getRecording } from "@/server/recordings";

const Query = z.object({ from: z.coerce.number().int().min(0) });

export const GET = route((_, { id }) => getRecording(id));
export const PATCH = route((request, { id }) => appendRecording(id, queryOf(request, Query).from, request.body));
export const DELETE = route((_, { id }) => dropRecording(id));
