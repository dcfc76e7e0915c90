import { bodyOf, route } from "@/server/http";
import { beginUpload, UploadRequest } from "@/server/sources";

export const POST = route(async (request, { id }) => beginUpload(id, await bodyOf(request, UploadRequest)), 201);
