import { askApart } from "@/server/apart/ask";
import { bodyOf, route } from "@/server/http";
import { SoundRequest } from "@/server/sound";

export const POST = route(async (request, { id }) => askApart(request, "sound", { versionId: id, request: await bodyOf(request, SoundRequest) }));
