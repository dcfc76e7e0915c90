import { bodyOf, route } from "@/server/http/http";
import { PrintRequest, startPrint } from "@/server/out/prints";

export const POST = route(async (request, { id }) => startPrint(id, await bodyOf(request, PrintRequest)), 202);
