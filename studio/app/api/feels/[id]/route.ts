import { route } from "@/server/http";
import { keptFeels } from "@/server/presets";

export const DELETE = route(async (_, { id }) => keptFeels.remove(id));
