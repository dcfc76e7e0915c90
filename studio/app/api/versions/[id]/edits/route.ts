import { bodyOf, route } from "@/server/http";
import { EditRequest, editVersion } from "@/server/versions";

export const POST = route(async (request, { id }) => editVersion(id, await bodyOf(request, EditRequest)));
