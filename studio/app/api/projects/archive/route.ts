import { createWriteStream } from "node:fs";
import path from "node:path";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { z } from "zod";
import { askApart } from "@/server/apart/ask";
import { ApiError } from "@/server/errors";
import { queryOf, route } from "@/server/http";
import { mostBytes } from "@/server/sources";
import { withFolder } from "@/server/temporary";

const Query = z.object({ partial: z.coerce.number().optional().describe("1: of a damaged archive, what is whole") });

/** A body as it comes, no more of it than a file may be long. */
async function* bounded(body: ReadableStream<Uint8Array> | null): AsyncGenerator<Uint8Array> {
  let size = 0;
  for await (const piece of (body ?? []) as unknown as AsyncIterable<Uint8Array>) {
    size += piece.length;
    if (size > mostBytes()) throw new ApiError(413, "too-large", `An archive has at most ${mostBytes()} bytes here. Nothing was changed.`);
    yield piece;
  }
}

/** Makes a project of an archive: it lies on the disk while it is read, apart. */
export const POST = route((request) =>
  withFolder(async (folder) => {
    const partial = queryOf(request, Query).partial === 1;
    const file = path.join(folder, "archive.zip");
    await pipeline(Readable.from(bounded(request.body)), createWriteStream(file));
    const answer = await askApart(request, "readArchive", { file, partial });
    return new Response(await answer.text(), { status: 201, headers: answer.headers });
  }),
);
