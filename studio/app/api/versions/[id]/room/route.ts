import { askApart } from "@/server/apart/ask";
import { bodyOf, route } from "@/server/http";
import { RoomRequest } from "@/server/room";

export const POST = route(async (request, { id }) => askApart(request, "room", { versionId: id, request: await bodyOf(request, RoomRequest) }));
