import { bodyOf, route } from "@/server/http/http";
import { keptFeels } from "@/server/pieces/presets";

export const dynamic = "force-dynamic";

export const GET = route(async () => ({ feels: await keptFeels.list() }));

export const POST = route(async (request) => keptFeels.keep(await bodyOf(request, keptFeels.Request)), 201);
