import { bodyOf, route } from "@/server/http/http";
import { ExportRequest } from "@/server/out/export-request";
import { startExport } from "@/server/out/exports";

export const POST = route(async (request, { id }) => startExport(id, await bodyOf(request, ExportRequest)), 202);
