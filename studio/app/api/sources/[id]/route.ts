import { route } from "@/server/http/http";
import { getSource, removeSource } from "@/server/recorded/sources";

export const GET = route((_, { id }) => getSource(id));
export const DELETE = route((_, { id }) => removeSource(id));
