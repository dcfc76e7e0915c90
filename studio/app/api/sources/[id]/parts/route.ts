import { bodyOf, route } from "@/server/http/http";
import { KeepParts, keepParts } from "@/server/recorded/parts";

export const POST = route(async (request, { id }) => keepParts(id, await bodyOf(request, KeepParts)));
