import { askApart } from "@/server/apart/ask";
import { SoundRequest } from "@/server/heard/sound";
import { bodyOf, route } from "@/server/http/http";

export const POST = route(async (request, { id }) => askApart(request, "sound", { versionId: id, request: await bodyOf(request, SoundRequest) }));
