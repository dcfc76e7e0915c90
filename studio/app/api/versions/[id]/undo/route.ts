import { bodyOf, route } from "@/server/http";
import { BackRequest, stepBack } from "@/server/versions";

export const POST = route(async (request, { id }) => stepBack(id, "undo", await bodyOf(request, BackRequest)));
