import { route } from "@/server/http";
import { seamReport } from "@/server/seams";

export const GET = route((_, { id }) => seamReport(id));
