import { z } from "zod";
import { queryOf, route } from "@/server/http/http";
import { stepsOf, stepsSince } from "@/server/pieces/versions";

const Revision = z.coerce
  .number()
  .int()
  .min(0)
  .max(2 ** 31 - 1);
const Query = z.union([
  z.object({ after: Revision }),
  z.object({
    revisions: z
      .string()
      .regex(/^\d+(,\d+)*$/, "Name revisions, with commas between them.")
      .transform((text) => text.split(",").map(Number))
      .pipe(z.array(z.int32().min(0)).min(1).max(200)),
  }),
]);

export const GET = route(async (request, { id }) => {
  const query = queryOf(request, Query);
  return "after" in query ? stepsSince(id, query.after) : { steps: await stepsOf(id, query.revisions) };
});
