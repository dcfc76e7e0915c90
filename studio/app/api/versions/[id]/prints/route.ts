import { bodyOf, route } from "@/server/http";
import { PrintRequest, startPrint } from "@/server/prints";

export const POST = route(async (request, { id }) => startPrint(id, await bodyOf(request, PrintRequest)), 202);
