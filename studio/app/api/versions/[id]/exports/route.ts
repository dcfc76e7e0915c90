import { ExportRequest } from "@/server/export-request";
import { startExport } from "@/server/exports";
import { bodyOf, route } from "@/server/http";

export const POST = route(async (request, { id }) => startExport(id, await bodyOf(request, ExportRequest)), 202);
