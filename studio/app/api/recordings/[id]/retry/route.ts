import { route } from "@/server/http/http";
import { retryRecording } from "@/server/recorded/recordings";

export const POST = route((_, { id }) => retryRecording(id), 202);
