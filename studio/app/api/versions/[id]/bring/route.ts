import { bodyOf, route } from "@/server/http/http";
import { BringRequest, bringOver } from "@/server/pieces/version-list";

export const POST = route(async (request, { id }) => bringOver(id, await bodyOf(request, BringRequest)));
