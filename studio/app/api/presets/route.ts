import { bodyOf, route } from "@/server/http";
import { keepPreset, listPresets, PresetRequest } from "@/server/presets";

export const dynamic = "force-dynamic";

export const GET = route(async () => ({ presets: await listPresets() }));

export const POST = route(async (request) => keepPreset(await bodyOf(request, PresetRequest)), 201);
