import { askApart } from "@/server/apart/ask";
import { route } from "@/server/http/http";

export const GET = route((request, { id, other }) => askApart(request, "compare", { a: id, b: other }));
