import { askApart } from "@/server/apart/ask";
import { MeasureRequest } from "@/server/heard/measure";
import { bodyOf, route } from "@/server/http/http";

export const POST = route(async (request, { id }) => askApart(request, "measure", { versionId: id, request: await bodyOf(request, MeasureRequest) }));
