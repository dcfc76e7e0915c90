import { ApiError } from "@/server/http/errors";
import { route } from "@/server/http/http";
import { receiveSource } from "@/server/recorded/sources";

export const POST = route(async (request, { id }) => {
  const name = new URL(request.url).searchParams.get("name");
  if (name === null) throw new ApiError(400, "malformed", "Name the file: ?name=x.wav", { path: "name" });
  const length = request.headers.get("content-length");
  return receiveSource(id, name, request.body, length === null ? null : Number(length));
}, 201);
