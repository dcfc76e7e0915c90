import { eventStream } from "@/server/http/event-stream";
import { route } from "@/server/http/http";

/** The events of all projects: one stream serves every tab of a browser. */
export const GET = route(async (request) => eventStream(request, () => true));
