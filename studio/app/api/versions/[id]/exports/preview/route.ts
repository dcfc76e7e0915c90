import { bodyOf, route } from "@/server/http/http";
import { ExportRequest } from "@/server/out/export-request";
import { previewExport } from "@/server/out/exports";

export const POST = route(async (request, { id }) => previewExport(id, await bodyOf(request, ExportRequest)));
