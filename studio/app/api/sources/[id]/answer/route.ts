import { bodyOf, route } from "@/server/http/http";
import { Answer, answerSource } from "@/server/recorded/sources";

export const POST = route(async (request, { id }) => answerSource(id, await bodyOf(request, Answer)));
