import { guidePicture } from "@/server/guide";
import { route } from "@/server/http";

export const dynamic = "force-dynamic";

export const GET = route(
  async (_, { name }) =>
    new Response(await guidePicture(name), { headers: { "content-type": "image/png", "cache-control": "private, max-age=86400" } }),
);
