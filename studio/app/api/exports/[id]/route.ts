import { route } from "@/server/http/http";
import { getExport, removeExport } from "@/server/out/exports";

export const GET = route((_, { id }) => getExport(id));
export const DELETE = route((_, { id }) => removeExport(id));
