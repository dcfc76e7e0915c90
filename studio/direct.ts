import type { IncomingMessage, ServerResponse } from "node:http";
import { Readable } from "node:stream";
import { GET as health } from "./app/api/health/route";
import { POST as edits } from "./app/api/versions/[id]/edits/route";
import { ISOLATION } from "./isolation";

type Handler = (request: Request, context: { params: Promise<Record<string, string>> }) => Promise<Response>;

/**
 * Route handlers that are asked so often that the framework's way to them costs more than they do: an edit's takes two thirds of its time.
 * What is not named here, and all of it where the framework serves by itself, goes that way.
 */
const ROUTES: readonly { readonly method: string; readonly path: RegExp; readonly handler: Handler }[] = [
  { method: "POST", path: /^\/api\/versions\/(?<id>[\w.~-]+)\/edits$/, handler: edits },
  { method: "GET", path: /^\/api\/health$/, handler: health },
];

function headersOf(request: IncomingMessage): Headers {
  const headers = new Headers();
  for (let i = 0; i < request.rawHeaders.length; i += 2) headers.append(request.rawHeaders[i], request.rawHeaders[i + 1]);
  return headers;
}

async function answer(handler: Handler, params: Record<string, string>, request: IncomingMessage, response: ServerResponse): Promise<void> {
  const asked = new Request(`http://${request.headers.host}${request.url}`, {
    method: request.method,
    headers: headersOf(request),
    ...(request.method === "GET" ? {} : { body: Readable.toWeb(request) as ReadableStream<Uint8Array>, duplex: "half" }),
  } as RequestInit);
  const given = await handler(asked, { params: Promise.resolve(params) });
  const body = Buffer.from(await given.arrayBuffer());
  for (const { key, value } of ISOLATION) response.setHeader(key, value);
  given.headers.forEach((value, name) => void response.setHeader(name, value));
  response.writeHead(given.status, { "content-length": body.length });
  response.end(body);
}

/** Answers a request by its handler, past the framework. False where there is no such handler here: then nothing was done. */
export function direct(request: IncomingMessage, response: ServerResponse): boolean {
  const path = request.url ?? "";
  for (const { method, path: shape, handler } of ROUTES) {
    const match = method === request.method ? shape.exec(path) : null;
    if (!match) continue;
    answer(handler, { ...match.groups }, request, response).catch((error) => {
      // Handlers answer their own faults: what comes here could not be read as a request, or its sender is gone.
      console.error("request dropped:", error instanceof Error ? error.message : error);
      if (response.headersSent) response.destroy();
      else response.writeHead(400).end();
    });
    return true;
  }
  return false;
}
