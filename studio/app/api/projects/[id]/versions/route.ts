import { bodyOf, route } from "@/server/http/http";
import { NewVersion, newVersion, versionsOf } from "@/server/pieces/version-list";

export const GET = route(async (_, { id }) => ({ versions: await versionsOf(id) }));

export const POST = route(async (request, { id }) => newVersion(id, await bodyOf(request, NewVersion)), 201);
