import { route } from "@/server/http";
import { retryRecording } from "@/server/recordings";

export const POST = route((_, { id }) => retryRecording(id), 202);
