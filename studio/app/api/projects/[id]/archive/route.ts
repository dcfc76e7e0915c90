import { z } from "zod";
import { archiveOf } from "@/server/archive/write";
import { attachment, queryOf, route, streamOf } from "@/server/http/http";

const Query = z.object({ history: z.coerce.number().optional().describe("1: with every step of every version") });

/** A whole project as one zip. */
export const GET = route(async (request, { id }) => {
  const { name, bytes } = await archiveOf(id, queryOf(request, Query).history === 1);
  return new Response(streamOf(bytes), {
    headers: { "content-type": "application/zip", "content-disposition": attachment(`${name}.zip`), "cache-control": "no-store" },
  });
});
