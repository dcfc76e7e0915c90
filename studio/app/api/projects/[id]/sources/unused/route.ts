import { bodyOf, route } from "@/server/http";
import { changeUnused, UnusedChange } from "@/server/sources";

export const POST = route(async (request, { id }) => changeUnused(id, await bodyOf(request, UnusedChange)));
