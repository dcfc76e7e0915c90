import { bodyOf, route } from "@/server/http";
import { BringRequest, bringOver } from "@/server/version-list";

export const POST = route(async (request, { id }) => bringOver(id, await bodyOf(request, BringRequest)));
