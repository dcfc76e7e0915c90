import { askApart } from "@/server/apart/ask";
import { RoomRequest } from "@/server/heard/room";
import { bodyOf, route } from "@/server/http/http";

export const POST = route(async (request, { id }) => askApart(request, "room", { versionId: id, request: await bodyOf(request, RoomRequest) }));
