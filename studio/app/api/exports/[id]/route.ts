import { getExport } from "@/server/exports";
import { route } from "@/server/http";

export const GET = route((_, { id }) => getExport(id));
