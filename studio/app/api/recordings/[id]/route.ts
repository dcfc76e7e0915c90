import { z } from "zod";
import { bodyBytes } from "@/server/http/body";
import { queryOf, route } from "@/server/http/http";
import { appendRecording, dropRecording, getRecording, MOST_PART } from "@/server/recorded/recordings";

const Query = z.object({ from: z.coerce.number().int().min(0) });

export const GET = route((_, { id }) => getRecording(id));
export const PATCH = route(async (request, { id }) => appendRecording(id, queryOf(request, Query).from, await bodyBytes(request, MOST_PART)));
export const DELETE = route((_, { id }) => dropRecording(id));
