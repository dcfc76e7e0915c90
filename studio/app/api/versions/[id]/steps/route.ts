import { z } from "zod";
import { queryOf, route } from "@/server/http";
import { stepsSince } from "@/server/versions";

const Query = z.object({
  after: z.coerce
    .number()
    .int()
    .min(0)
    .max(2 ** 31 - 1),
});

export const GET = route((request, { id }) => stepsSince(id, queryOf(request, Query).after));
