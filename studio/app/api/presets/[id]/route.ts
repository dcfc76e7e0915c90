import { route } from "@/server/http";
import { removePreset } from "@/server/presets";

export const DELETE = route(async (_, { id }) => removePreset(id));
