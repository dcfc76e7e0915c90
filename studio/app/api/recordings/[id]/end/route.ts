import { bodyOf, route } from "@/server/http/http";
import { EndRequest, endRecording } from "@/server/recorded/recordings";

export const POST = route(async (request, { id }) => endRecording(id, await bodyOf(request, EndRequest)), 202);
