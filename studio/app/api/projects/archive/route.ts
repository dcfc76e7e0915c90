import { createWriteStream } from "node:fs";
import { stat } from "node:fs/promises";
import path from "node:path";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { z } from "zod";
import { askApart } from "@/server/apart/ask";
import { bodyPieces } from "@/server/http/body";
import { ApiError } from "@/server/http/errors";
import { queryOf, route } from "@/server/http/http";
import { withFolder } from "@/server/process/temporary";
import { mostBytes } from "@/server/recorded/sources";

const Query = z.object({ partial: z.coerce.number().optional().describe("1: of a damaged archive, what is whole") });

/** Makes a project of an archive: it lies on the disk while it is read, apart. Of one whose sender leaves nothing is kept. */
export const POST = route((request) =>
  withFolder(async (folder) => {
    const partial = queryOf(request, Query).partial === 1;
    const file = path.join(folder, "archive.zip");
    const { body, headers, signal } = request;
    await pipeline(Readable.from(bodyPieces(body, mostBytes())), createWriteStream(file), { signal });
    const [announced, came] = [Number(headers.get("content-length") ?? Number.NaN), (await stat(file)).size];
    if (Number.isFinite(announced) && announced !== came)
      throw new ApiError(400, "broken-off", `The archive broke off: ${came} of ${announced} bytes came. Nothing was changed.`);
    const answer = await askApart(request, "readArchive", { file, partial });
    return new Response(await answer.text(), { status: 201, headers: answer.headers });
  }),
);
