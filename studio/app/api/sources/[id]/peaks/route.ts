import { PEAK_LEVELS } from "@wet-thread/core/analysis/peaks";
import { ofPlayedId } from "@wet-thread/core/model/played";
import { z } from "zod";
import { ApiError } from "@/server/errors";
import { queryOf, route } from "@/server/http";
import { readPeakTile } from "@/server/samples";
import { getSource } from "@/server/sources";

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
  const source = await getSource(ofPlayedId(id).sourceId);
  if (source.status !== "ready") throw new ApiError(404, "not-found", "The recording is not ready yet.");
  const bytes = await readPeakTile(id, level, tile, source.length);
  if (bytes.length === 0) throw new ApiError(404, "not-found", `Recording "${id}" has no tile ${tile} at level ${level}.`);
  return new Response(new Uint8Array(bytes), {
    headers: { "content-type": "application/octet-stream", "cache-control": "private, max-age=31536000, immutable" },
  });
});
