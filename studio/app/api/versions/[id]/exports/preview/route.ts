import { ExportRequest } from "@/server/export-request";
import { previewExport } from "@/server/exports";
import { bodyOf, route } from "@/server/http";

export const POST = route(async (request, { id }) => previewExport(id, await bodyOf(request, ExportRequest)));
