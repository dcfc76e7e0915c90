import { route } from "@/server/http/http";
import { keptPresets } from "@/server/pieces/presets";

export const DELETE = route(async (_, { id }) => keptPresets.remove(id));
