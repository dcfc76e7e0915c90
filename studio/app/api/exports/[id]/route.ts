import { getExport, removeExport } from "@/server/exports";
import { route } from "@/server/http";

export const GET = route((_, { id }) => getExport(id));
export const DELETE = route((_, { id }) => removeExport(id));
