import { askApart } from "@/server/apart/ask";
import { bodyOf, route } from "@/server/http";
import { MeasureRequest } from "@/server/measure";

export const POST = route(async (request, { id }) => askApart(request, "measure", { versionId: id, request: await bodyOf(request, MeasureRequest) }));
