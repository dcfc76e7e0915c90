import { eventStream } from "@/server/http/event-stream";
import { route } from "@/server/http/http";
import { getProjectName } from "@/server/pieces/projects";

export const GET = route(async (request, { id }) => {
  await getProjectName(id);
  return eventStream(request, (event) => event.type !== "again" && event.projectId === id);
});
