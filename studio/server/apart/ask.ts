import { type ChildProcess, fork } from "node:child_process";
import { ApiError } from "../errors";
import { processScript } from "../processes";
import type { FromApart, Question, ToApart } from "./questions";

interface Asked {
  part(text: string): void;
  end(): void;
  wrong(error: ApiError): void;
}
interface Apart {
  readonly child: ChildProcess;
  readonly asked: Map<number, Asked>;
}
// Next loads this module more than once in one process; the other process is kept where all of them see it.
const place = globalThis as typeof globalThis & { wetThreadApart?: Apart };
let count = 0;

const gone = (): ApiError => new ApiError(503, "interrupted", "What worked on the answer was ended. Nothing was changed; ask again.");

/** The process that works out long answers, started when it is first needed, and anew when it has died. */
function apart(): Apart {
  if (place.wetThreadApart) return place.wetThreadApart;
  const child = fork(/* turbopackIgnore: true */ processScript("apart"), { stdio: ["ignore", "inherit", "inherit", "ipc"] });
  const asked = new Map<number, Asked>();
  const end = (): void => void child.kill("SIGTERM");
  process.once("exit", end);
  child.on("message", (message: FromApart) => {
    const one = asked.get(message.id);
    if (message.type === "part") return one?.part(message.text);
    asked.delete(message.id);
    if (message.type === "end") one?.end();
    else one?.wrong(new ApiError(message.status, message.code, message.message, message.more));
  });
  child.once("exit", () => {
    process.removeListener("exit", end);
    place.wetThreadApart = undefined;
    for (const one of asked.values()) one.wrong(gone());
  });
  place.wetThreadApart = { child, asked };
  return place.wetThreadApart;
}

/** Asks apart, and answers with what comes, as JSON. A request that is broken off calls it off. Rejects with the ApiError it ended in. */
export function askApart(request: Request, question: Question, about: unknown): Promise<Response> {
  const { child, asked } = apart();
  const id = ++count;
  const encoder = new TextEncoder();
  return new Promise((resolve, reject) => {
    let into: ReadableStreamDefaultController<Uint8Array> | null = null;
    const begin = (): void => {
      if (into) return;
      const body = new ReadableStream<Uint8Array>({
        start: (c) => {
          into = c;
        },
        cancel: off,
      });
      resolve(new Response(body, { headers: { "content-type": "application/json; charset=utf-8", "cache-control": "no-store" } }));
    };
    const off = (): void => {
      if (asked.delete(id)) child.send({ type: "off", id } satisfies ToApart);
    };
    request.signal.addEventListener("abort", off);
    asked.set(id, {
      part(text) {
        begin();
        into?.enqueue(encoder.encode(text));
      },
      end: () => into?.close(),
      wrong: (error) => (into ? into.error(error) : reject(error)),
    });
    child.send({ type: "ask", id, question, about } satisfies ToApart);
  });
}
