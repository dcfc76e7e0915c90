import { z } from "zod";
import { queryOf, route } from "@/server/http/http";
import { receivePart, uploadState } from "@/server/recorded/sources";

const Query = z.object({ offset: z.coerce.number().int().min(0) });

export const GET = route((_, { id }) => uploadState(id));
export const PATCH = route(async (request, { id }) => {
  const length = request.headers.get("content-length");
  return receivePart(id, queryOf(request, Query).offset, request.body, length === null ? null : Number(length));
});
