import { bodyOf, route } from "@/server/http/http";
import { BackRequest, stepBack } from "@/server/pieces/versions";

export const POST = route(async (request, { id }) => stepBack(id, "redo", await bodyOf(request, BackRequest)));
