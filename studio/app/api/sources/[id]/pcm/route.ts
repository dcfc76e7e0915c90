import { z } from "zod";
import { ApiError } from "@/server/errors";
import { queryOf, route } from "@/server/http";
import { readChunk } from "@/server/samples";

const Query = z.object({
  chunk: z.coerce
    .number()
    .int()
    .min(0)
    .max(2 ** 30),
});

/** One chunk at the project's rate: 32-bit floats, all channels one after the other. It never changes once the recording is ready. */
export const GET = route(async (request, { id }) => {
  const { chunk } = queryOf(request, Query);
  const bytes = await readChunk(id, chunk);
  if (!bytes) throw new ApiError(404, "not-found", `Recording "${id}" has no chunk ${chunk}.`);
  return new Response(bytes, {
    headers: { "content-type": "application/octet-stream", "cache-control": "private, max-age=31536000, immutable" },
  });
});
