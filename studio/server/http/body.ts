import { ApiError } from "./errors";

type Body = ReadableStream<Uint8Array> | null;

const tooLong = (most: number) => (): ApiError =>
  new ApiError(413, "too-large", `A request has at most ${most} bytes here; send it in parts. Nothing was changed.`, {
    path: "",
    kept: "Nothing was changed.",
  });

/** A request's body as it comes, read no further than it may be long. Throws what `refused` makes of one that is longer. */
export async function* bodyPieces(body: Body, most: number, refused: (size: number) => ApiError = tooLong(most)): AsyncGenerator<Uint8Array> {
  let size = 0;
  for await (const piece of (body ?? []) as unknown as AsyncIterable<Uint8Array>) {
    size += piece.length;
    if (size > most) throw refused(size);
    yield piece;
  }
}

/** A whole body, of at most so many bytes. */
export async function bodyBytes({ body, headers }: Pick<Request, "body" | "headers">, most: number, refused = tooLong(most)): Promise<Buffer> {
  // What says that it is too long is not read at all.
  if (Number(headers.get("content-length") ?? 0) > most) throw refused();
  const pieces: Uint8Array[] = [];
  for await (const piece of bodyPieces(body, most, refused)) pieces.push(piece);
  return Buffer.concat(pieces);
}
