import { askApart } from "@/server/apart/ask";
import { route } from "@/server/http/http";

export const GET = route((request, { id }) => askApart(request, "seams", { versionId: id }));
