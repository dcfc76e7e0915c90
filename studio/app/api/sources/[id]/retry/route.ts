import { route } from "@/server/http/http";
import { retrySource } from "@/server/recorded/sources";

export const POST = route((_, { id }) => retrySource(id));
