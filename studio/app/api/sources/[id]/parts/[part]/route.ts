import { route } from "@/server/http/http";
import { dropPart } from "@/server/recorded/parts";

export const DELETE = route(async (_, { id, part }) => dropPart(id, part));
