import { route } from "@/server/http";
import { retrySource } from "@/server/sources";

export const POST = route((_, { id }) => retrySource(id));
