import { type ChildProcess, fork } from "node:child_process";
import { setTimeout as wait } from "node:timers/promises";
import { ApiError } from "../http/errors";
import { ofProcess } from "../process/of-process";
import { processScript } from "../process/processes";
import { Rests } from "../process/rests";
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
/** The other process, and, while it rests after it broke, until when. */
const held = ofProcess("apart", () => ({
  now: null as Apart | null,
  until: 0,
  count: 0,
  rests: new Rests("The process that works out long answers"),
}));

const gone = (): ApiError => new ApiError(503, "interrupted", "What worked on the answer was ended. Nothing was changed; ask again.");

/** A rest up to this, in ms, is waited out by whoever asks. */
const SHORT_MS = 2000;

/** The process that works out long answers, started when it is first needed, and anew, after a rest, when it has died. Throws ApiError 503 where that is long. */
async function apart(): Promise<Apart> {
  const rest = held.until - Date.now();
  if (!held.now && rest > 0 && rest <= SHORT_MS) await wait(rest);
  if (held.now) return held.now;
  if (rest > SHORT_MS) {
    const seconds = Math.ceil(rest / 1000);
    throw new ApiError(
      503,
      "resting",
      `What works on such answers ends again and again, and rests for ${seconds} s. Nothing was changed; ask again then.`,
    );
  }
  const begun = Date.now();
  let ours = false;
  const child = fork(/* turbopackIgnore: true */ processScript("apart"), { stdio: ["ignore", "inherit", "inherit", "ipc"] });
  const asked = new Map<number, Asked>();
  const end = (): void => {
    ours = true;
    child.kill("SIGTERM");
  };
  process.once("exit", end);
  child.on("message", (message: FromApart) => {
    const one = asked.get(message.id);
    if (message.type === "part") return one?.part(message.text);
    asked.delete(message.id);
    if (message.type === "end") one?.end();
    else one?.wrong(new ApiError(message.status, message.code, message.message, message.more));
  });
  child.once("exit", (code, signal) => {
    process.removeListener("exit", end);
    held.now = null;
    if (!ours) held.until = Date.now() + held.rests.after(Date.now() - begun, signal ?? `code ${code}`);
    for (const one of asked.values()) one.wrong(gone());
  });
  held.now = { child, asked };
  return held.now;
}

/** Asks apart, and answers with what comes, as JSON. A request that is broken off calls it off. Rejects with the ApiError it ended in. */
export async function askApart(request: Request, question: Question, about: unknown): Promise<Response> {
  const { child, asked } = await apart();
  const id = ++held.count;
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
