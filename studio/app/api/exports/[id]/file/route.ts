import { ApiError } from "@/server/errors";
import { getExport } from "@/server/exports";
import { attachment, ranged, route } from "@/server/http";
import { readExport } from "@/server/store";

export const GET = route(async (request, { id }) => {
  const job = await getExport(id);
  if (job.status !== "ready") throw new ApiError(409, "not-ready", job.error ?? "The export is not finished yet.");
  return ranged(request, job.bytes, (from, to) => readExport(id, from, to), {
    "content-type": "audio/wav",
    "content-disposition": attachment(job.name),
  });
});
