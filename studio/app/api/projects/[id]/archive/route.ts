import { z } from "zod";
import { archiveOf } from "@/server/archive/write";
import { attachment, queryOf, route } from "@/server/http";

const Query = z.object({ history: z.coerce.number().optional().describe("1: with every step of every version") });

/** A whole project as one zip. */
export const GET = route(async (request, { id }) => {
  const { name, bytes } = await archiveOf(id, queryOf(request, Query).history === 1);
  const pieces = bytes[Symbol.asyncIterator]();
  const body = new ReadableStream<Uint8Array>({
    async pull(controller) {
      const { value, done } = await pieces.next();
      if (done) controller.close();
      else controller.enqueue(value);
    },
    async cancel() {
      await pieces.return?.();
    },
  });
  return new Response(body, {
    headers: { "content-type": "application/zip", "content-disposition": attachment(`${name}.zip`), "cache-control": "no-store" },
  });
});
