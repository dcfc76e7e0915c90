import { route } from "@/server/http";
import { dropPart } from "@/server/parts";

export const DELETE = route(async (_, { id, part }) => dropPart(id, part));
