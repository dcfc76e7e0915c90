import { bodyOf, route } from "@/server/http";
import { Answer, answerSource } from "@/server/sources";

export const POST = route(async (request, { id }) => answerSource(id, await bodyOf(request, Answer)));
