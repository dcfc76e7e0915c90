import { route } from "@/server/http/http";
import { keptFeels } from "@/server/pieces/presets";

export const DELETE = route(async (_, { id }) => keptFeels.remove(id));
