import { z } from "zod";
import { bodyBytes } from "@/server/http/body";
import { queryOf, route } from "@/server/http/http";
import { MOST_FILE, OutQuery, readInto } from "@/server/pieces/interchange";

const Query = z.object({
  name: z.string().max(400).default("Read in"),
  unit: OutQuery.shape.unit,
  start: OutQuery.shape.start,
  frameRate: OutQuery.shape.frameRate,
});

/** Reads a MIDI file of tempo, meter and markers, or a table of markers, into a new version. */
export const POST = route(async (request, { id }) => {
  const { name, ...query } = queryOf(request, Query);
  return readInto(id, await bodyBytes(request, MOST_FILE), name, query);
}, 201);
