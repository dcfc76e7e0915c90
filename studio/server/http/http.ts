import { EditError } from "@wet-thread/core/edit/errors";
import { create as contentDisposition } from "content-disposition";
import { LRUCache } from "lru-cache";
import parseRange from "range-parser";
import { z } from "zod";
import { isAway, isFull, isNoText } from "../db/faults";
import { ofProcess } from "../process/of-process";
import { admit, hasToken, isOwnHost, LOOPBACK } from "./auth";
import { bodyBytes } from "./body";
import { ApiError } from "./errors";

export const json = (body: unknown, status = 200, headers: Record<string, string> = {}): Response =>
  new Response(JSON.stringify(body), {
    status,
    headers: { "content-type": "application/json; charset=utf-8", "cache-control": "no-store", ...headers },
  });

function failure(error: unknown): Response {
  if (error instanceof EditError) return json({ error: "impossible", message: error.message, path: error.path, kept: error.kept }, 422);
  if (error instanceof ApiError) return json({ error: error.code, message: error.message, ...error.more }, error.status);
  if (error instanceof z.ZodError) {
    const issue = error.issues[0];
    const path = issue.path.join(".");
    return json({ error: "malformed", message: path ? `${path}: ${issue.message}` : issue.message, path, kept: "Nothing was changed." }, 400);
  }
  if (isAway(error)) {
    console.error("database away:", error instanceof Error ? ((error.cause as Error | undefined)?.message ?? error.message) : error);
    return json(
      {
        error: "database-away",
        message: "The database does not answer just now. Nothing was changed; what was saved is safe. Try again in a moment.",
        kept: "Nothing was changed.",
      },
      503,
      { "retry-after": "1" },
    );
  }
  if (isFull(error))
    return json(
      {
        error: "disk-full",
        message: "The disk is full. Nothing was changed; what was saved is safe. Make room and try again.",
        kept: "Nothing was changed.",
      },
      507,
    );
  if (isNoText(error))
    return json(
      { error: "malformed", message: "What was sent holds what is no text. Nothing was changed.", path: "", kept: "Nothing was changed." },
      400,
    );
  console.error(error);
  return json({ error: "unexpected", message: "Something went wrong on the server. Nothing was changed.", kept: "Nothing was changed." }, 500);
}

/** A server open to the network asks for its passphrase, or from programs for the API's token. */
async function checkSignIn({ headers }: Request): Promise<void> {
  const { in: known, wait } = await admit(headers);
  if (wait > 0) throw new ApiError(429, "too-many-guesses", `Too many wrong guesses. Try again in ${Math.ceil(wait / 1000)} s.`);
  if (!known) throw new ApiError(401, "sign-in", "This server asks for its passphrase.");
}

/**
 * State-changing requests come from the same origin, from a program (which sends no origin), or with the API's token. A browser
 * always names the origin of such a request, so a page elsewhere can't edit behind a person's back.
 */
function checkOrigin(request: Request): void {
  const { headers } = request;
  const host = headers.get("host") ?? "";
  if (!isOwnHost(host)) throw new ApiError(403, "host", "This server answers on its loopback address only.");
  if (request.method === "GET" || request.method === "HEAD" || hasToken(headers)) return;
  const origin = headers.get("origin");
  const site = headers.get("sec-fetch-site");
  if (origin !== null && (!URL.canParse(origin) || new URL(origin).host !== host))
    throw new ApiError(403, "origin", "Requests that change something come from the same origin or carry the API's token.");
  if (origin === null && site !== null && site !== "same-origin" && site !== "none")
    throw new ApiError(403, "origin", "Requests that change something come from the same origin or carry the API's token.");
}

type Params = Record<string, string>;
/** What no id holds and no database takes. */
const UNREADABLE = /[\p{Cc}\p{Cs}]/u;

/** Programs are told how to sign in; a browser would ask in a window of its own, where the page has one. */
function unsigned(request: Request, answer: Response): Response {
  if (answer.status === 401 && !request.headers.has("sec-fetch-site"))
    answer.headers.set("www-authenticate", 'Basic realm="Wet Thread", charset="UTF-8"');
  return answer;
}

/** As `route`, for whoever is not signed in yet. */
export function open(handler: (request: Request) => Promise<Response>) {
  return async (request: Request): Promise<Response> => {
    try {
      checkOrigin(request);
      return await handler(request);
    } catch (error) {
      return failure(error);
    }
  };
}

/** Wraps a handler: checks who asks, awaits the parameters, answers plain values as JSON and every error in the API's form. */
export function route(handler: (request: Request, params: Params) => Promise<unknown>, status = 200) {
  return async (request: Request, context: { params: Promise<Params> }): Promise<Response> => {
    try {
      checkOrigin(request);
      await checkSignIn(request);
      const params = await context.params;
      for (const value of Object.values(params ?? {}))
        if (UNREADABLE.test(value)) throw new ApiError(404, "not-found", "There is nothing of that name.");
      const result = await handler(request, params);
      return result instanceof Response ? result : json(result, status);
    } catch (error) {
      return unsigned(request, failure(error));
    }
  };
}

const MAX_JSON = 32 * 1024 * 1024;

/** The body as JSON of a schema. Throws ApiError 400 or 413, or ZodError. */
export async function bodyOf<S extends z.ZodType>(request: Request, schema: S): Promise<z.output<S>> {
  const text = (await bodyBytes(request, MAX_JSON)).toString("utf8");
  let value: unknown;
  try {
    value = text === "" ? {} : JSON.parse(text);
  } catch {
    throw new ApiError(400, "malformed", "The body is not JSON. Nothing was changed.", { path: "", kept: "Nothing was changed." });
  }
  return schema.parse(value);
}

/** The address's parameters by a schema. Throws ZodError. */
export const queryOf = <S extends z.ZodType>(request: Request, schema: S): z.output<S> =>
  schema.parse(Object.fromEntries(new URL(request.url).searchParams));

/** Answers as bytes, by what they answer; the ones asked for last. */
const written = ofProcess(
  "written",
  () =>
    new LRUCache<string, { readonly stamp: string; readonly bytes: Uint8Array<ArrayBuffer> }>({
      maxSize: 256 * 1024 * 1024,
      sizeCalculation: ({ bytes }) => bytes.length + 1,
    }),
);

/**
 * Answers with JSON that stays the same as long as its stamp does: written once, since for a large piece that takes longer than anything
 * else about opening it. It goes unpacked to this very machine, where packing only costs time.
 */
export function writtenJson(request: Request, name: string, stamp: string, make: () => unknown): Response {
  let known = written.get(name);
  if (known?.stamp !== stamp) {
    known = { stamp, bytes: new TextEncoder().encode(JSON.stringify(make())) };
    written.set(name, known);
  }
  const keep = LOOPBACK.test(request.headers.get("host") ?? "") ? "no-store, no-transform" : "no-store";
  return new Response(known.bytes, { headers: { "content-type": "application/json; charset=utf-8", "cache-control": keep } });
}

/** Bytes as the body of an answer: each piece is made when it is wanted, and whoever makes them is told when nobody wants more. */
export function streamOf(bytes: AsyncIterable<Uint8Array>): ReadableStream<Uint8Array> {
  const pieces = bytes[Symbol.asyncIterator]();
  return new ReadableStream<Uint8Array>({
    async pull(controller) {
      const { value, done } = await pieces.next();
      if (done) controller.close();
      else controller.enqueue(value);
    },
    async cancel() {
      await pieces.return?.();
    },
  });
}

/** Answers with part or all of some stored bytes, honouring a Range header (RFC 9110, 14). */
export function ranged(
  request: Request,
  size: number,
  read: (from: number, to: number) => AsyncIterable<Uint8Array>,
  headers: Record<string, string>,
): Response {
  const header = request.headers.get("range");
  let [from, to, status] = [0, size, 200];
  const asked = header ? parseRange(size, header) : undefined;
  if (asked === -1) return new Response(null, { status: 416, headers: { "content-range": `bytes */${size}` } });
  // Of a malformed range, or several, all is sent: a server may.
  if (Array.isArray(asked) && asked.type === "bytes" && asked.length === 1) [from, to, status] = [asked[0].start, asked[0].end + 1, 206];
  return new Response(streamOf(read(from, to)), {
    status,
    headers: {
      "accept-ranges": "bytes",
      "content-length": String(to - from),
      ...(status === 206 ? { "content-range": `bytes ${from}-${to - 1}/${size}` } : {}),
      ...headers,
    },
  });
}

/** A file name for a download header: plain characters, and the full name as UTF-8. */
export const attachment = (name: string): string => contentDisposition(name);
