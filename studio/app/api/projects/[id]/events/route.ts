import { eventStream } from "@/server/event-stream";
import { route } from "@/server/http";
import { getProjectName } from "@/server/projects";

export const GET = route(async (request, { id }) => {
  await getProjectName(id);
  return eventStream(request, (event) => event.type !== "again" && event.projectId === id);
});
