import { bodyOf, route } from "@/server/http/http";
import { beginRecording, openRecordings, RecordingRequest } from "@/server/recorded/recordings";

export const GET = route((_, { id }) => openRecordings(id));
export const POST = route(async (request, { id }) => beginRecording(id, await bodyOf(request, RecordingRequest)), 201);
