import { askApart } from "@/server/apart/ask";
import { bodyOf, route } from "@/server/http";
import { LineUpRequest } from "@/server/line-up";

export const POST = route(async (request, { id }) => askApart(request, "lineUp", { versionId: id, request: await bodyOf(request, LineUpRequest) }));
