import { isMade, ofPlayedId } from "@wet-thread/core/model/recipe/played-recording";
import { z } from "zod";
import { ApiError } from "@/server/http/errors";
import { json, queryOf, route } from "@/server/http/http";
import { askForChunk, getMade } from "@/server/recorded/made";
import { readChunk } from "@/server/recorded/samples";

const Query = z.object({
  chunk: z.coerce
    .number()
    .int()
    .min(0)
    .max(2 ** 30),
});

/**
 * One chunk at the project's rate: 32-bit floats, all channels one after the other. It never changes once the recording is ready. Of what is
 * still to be made it answers 202, and has it made.
 */
export const GET = route(async (request, { id }) => {
  const { chunk } = queryOf(request, Query);
  const bytes = await readChunk(id, chunk);
  if (!bytes && isMade(id)) {
    const { status, progress, error } = await getMade(id);
    // What failed is tried again when somebody asks again.
    if (await askForChunk(ofPlayedId(id), chunk))
      return json({ status: status === "failed" ? status : "making", progress, ...(error && { error }) }, 202);
  }
  if (!bytes) throw new ApiError(404, "not-found", `Recording "${id}" has no chunk ${chunk}.`);
  return new Response(bytes, {
    headers: { "content-type": "application/octet-stream", "cache-control": "private, max-age=31536000, immutable" },
  });
});
