import { route } from "@/server/http/http";
import { pictureOf } from "@/server/pieces/projects";

export const GET = route((_, { id }) => pictureOf(id));
