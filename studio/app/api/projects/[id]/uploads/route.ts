import { bodyOf, route } from "@/server/http/http";
import { beginUpload, UploadRequest } from "@/server/recorded/sources";

export const POST = route(async (request, { id }) => beginUpload(id, await bodyOf(request, UploadRequest)), 201);
