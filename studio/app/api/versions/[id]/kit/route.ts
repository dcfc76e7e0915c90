import { attachment, bodyOf, route, streamOf } from "@/server/http/http";
import { KitRequest, kitOf } from "@/server/out/kit";

/** A slice kit as a zip: one WAV a slice, and an SFZ file that puts them on keys. */
export const POST = route(async (request, { id }) => {
  const { zip, name } = await kitOf(id, await bodyOf(request, KitRequest));
  return new Response(streamOf(zip), {
    headers: { "content-type": "application/zip", "content-disposition": attachment(name), "cache-control": "no-store" },
  });
});
