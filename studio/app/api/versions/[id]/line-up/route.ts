import { askApart } from "@/server/apart/ask";
import { LineUpRequest } from "@/server/heard/line-up";
import { bodyOf, route } from "@/server/http/http";

export const POST = route(async (request, { id }) => askApart(request, "lineUp", { versionId: id, request: await bodyOf(request, LineUpRequest) }));
