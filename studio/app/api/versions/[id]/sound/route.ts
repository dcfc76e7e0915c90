import { bodyOf, route } from "@/server/http";
import { SoundRequest, soundOf } from "@/server/sound";

export const POST = route(async (request, { id }) => soundOf(id, await bodyOf(request, SoundRequest)));
