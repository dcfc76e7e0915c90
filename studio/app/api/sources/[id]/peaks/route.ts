import { PEAK_LEVELS } from "@wet-thread/core/analysis/peaks";
import { ofPlayedId } from "@wet-thread/core/model/recipe/played-recording";
import { z } from "zod";
import { ApiError } from "@/server/http/errors";
import { queryOf, route } from "@/server/http/http";
import { readPeakTile } from "@/server/recorded/samples";
import { getSource } from "@/server/recorded/sources";

const Query = z.object({
  level: z.coerce
    .number()
    .int()
    .min(0)
    .max(PEAK_LEVELS.length - 1),
  tile: z.coerce
    .number()
    .int()
    .min(0)
    .max(2 ** 20),
});

/** A tile of 1,024 peaks (min, max, RMS as 32-bit floats), all channels one after the other. */
export const GET = route(async (request, { id }) => {
  const { level, tile } = queryOf(request, Query);
  const { sourceId } = ofPlayedId(id);
  const source = await getSource(sourceId);
  if (source.status !== "ready") throw new ApiError(404, "not-found", "The recording is not ready yet.");
  const { bytes, made } = await readPeakTile(id, level, tile);
  if (bytes.length === 0) throw new ApiError(404, "not-found", `Recording "${id}" has no tile ${tile} at level ${level}.`);
  // What is worked out from the recording gives way to what is made of it, once that is there.
  const kept = made ? "private, max-age=31536000, immutable" : "no-store";
  return new Response(new Uint8Array(bytes), { headers: { "content-type": "application/octet-stream", "cache-control": kept } });
});
