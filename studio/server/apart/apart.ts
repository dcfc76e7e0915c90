import { ApiError } from "../http/errors";
import { type FromApart, QUESTIONS, type ToApart } from "./questions";

// The process that works out long answers, for the web process that started it. It ends with it.
const tell = (message: FromApart): void => void process.send?.(message);
const off = new Set<number>();
/** Characters sent in one message. */
const PART = 1 << 20;

async function answer({ id, question, about }: Extract<ToApart, { type: "ask" }>): Promise<void> {
  try {
    const text = JSON.stringify(await QUESTIONS[question](about as never, () => off.has(id)));
    for (let at = 0; at < text.length; at += PART) tell({ type: "part", id, text: text.slice(at, at + PART) });
    tell({ type: "end", id });
  } catch (error) {
    const known = error instanceof ApiError;
    if (!known && !off.has(id)) console.error("apart:", error);
    const code = known ? error.code : "unexpected";
    const message = known ? error.message : "Something went wrong on the server. Nothing was changed.";
    tell({ type: "wrong", id, status: known ? error.status : 500, code, message, more: known ? error.more : {} });
  } finally {
    off.delete(id);
  }
}

process.on("message", (message: ToApart) => {
  if (message.type === "off") off.add(message.id);
  else void answer(message);
});
process.on("disconnect", () => process.exit(0));
