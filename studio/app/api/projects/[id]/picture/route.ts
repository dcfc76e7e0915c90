import { route } from "@/server/http";
import { pictureOf } from "@/server/projects";

export const GET = route((_, { id }) => pictureOf(id));
