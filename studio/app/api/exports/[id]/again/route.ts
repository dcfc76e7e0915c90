import { Again, exportAgain } from "@/server/exports";
import { bodyOf, route } from "@/server/http";

export const POST = route(async (request, { id }) => exportAgain(id, await bodyOf(request, Again)), 202);
