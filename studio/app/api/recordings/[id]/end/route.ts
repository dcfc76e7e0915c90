import { bodyOf, route } from "@/server/http";
import { EndRequest, endRecording } from "@/server/recordings";

export const POST = route(async (request, { id }) => endRecording(id, await bodyOf(request, EndRequest)), 202);
