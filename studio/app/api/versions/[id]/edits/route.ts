import { bodyOf, route } from "@/server/http/http";
import { EditRequest, editVersion } from "@/server/pieces/versions";

export const POST = route(async (request, { id }) => editVersion(id, await bodyOf(request, EditRequest)));
