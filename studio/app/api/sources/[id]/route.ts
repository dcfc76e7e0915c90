import { route } from "@/server/http";
import { getSource, removeSource } from "@/server/sources";

export const GET = route((_, { id }) => getSource(id));
export const DELETE = route((_, { id }) => removeSource(id));
