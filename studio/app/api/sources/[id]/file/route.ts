import { attachment, ranged, route } from "@/server/http/http";
import { getSource } from "@/server/recorded/sources";
import { readSource } from "@/server/recorded/store";

export const GET = route(async (request, { id }) => {
  const source = await getSource(id);
  return ranged(request, source.bytes, (from, to) => readSource(id, from, to), {
    "content-type": "application/octet-stream",
    "content-disposition": attachment(`${source.name}${source.ending}`),
  });
});
