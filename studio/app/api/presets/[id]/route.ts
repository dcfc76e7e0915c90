import { route } from "@/server/http";
import { keptPresets } from "@/server/presets";

export const DELETE = route(async (_, { id }) => keptPresets.remove(id));
