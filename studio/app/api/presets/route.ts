import { bodyOf, route } from "@/server/http/http";
import { keptPresets } from "@/server/pieces/presets";

export const dynamic = "force-dynamic";

export const GET = route(async () => ({ presets: await keptPresets.list() }));

export const POST = route(async (request) => keptPresets.keep(await bodyOf(request, keptPresets.Request)), 201);
