import { bodyOf, route } from "@/server/http/http";
import { changeUnused, UnusedChange } from "@/server/recorded/sources";

export const POST = route(async (request, { id }) => changeUnused(id, await bodyOf(request, UnusedChange)));
