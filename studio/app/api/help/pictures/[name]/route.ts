import { route } from "@/server/http/http";
import { guidePicture } from "@/server/pieces/guide";

export const dynamic = "force-dynamic";

export const GET = route(
  async (_, { name }) =>
    new Response(await guidePicture(name), { headers: { "content-type": "image/png", "cache-control": "private, max-age=86400" } }),
);
