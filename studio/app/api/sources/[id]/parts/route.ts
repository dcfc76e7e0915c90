import { bodyOf, route } from "@/server/http";
import { KeepParts, keepParts } from "@/server/parts";

export const POST = route(async (request, { id }) => keepParts(id, await bodyOf(request, KeepParts)));
