import { ApiError } from "@/server/http/errors";
import { attachment, ranged, route } from "@/server/http/http";
import { getExport } from "@/server/out/exports";
import { readExport } from "@/server/recorded/store";

export const GET = route(async (request, { id }) => {
  const job = await getExport(id);
  if (job.status !== "ready") throw new ApiError(409, "not-ready", job.error ?? "The export is not finished yet.");
  if (job.bytes === 0) throw new ApiError(409, "no-file", "This export only measured; it wrote no file.");
  return ranged(request, job.bytes, (from, to) => readExport(id, from, to), {
    "content-type": job.type,
    "content-disposition": attachment(job.name),
  });
});
