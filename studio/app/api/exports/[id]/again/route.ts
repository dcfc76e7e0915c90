import { bodyOf, route } from "@/server/http/http";
import { Again, exportAgain } from "@/server/out/exports";

export const POST = route(async (request, { id }) => exportAgain(id, await bodyOf(request, Again)), 202);
