import { listening, onEvent, type ProjectEvent } from "../pieces/events";

/** How often a line is sent to keep the connection alive through proxies. */
const ALIVE_MS = 20_000;
/** Bytes that wait for somebody who does not take them. */
const MOST_WAITING = 256 << 10;

/**
 * Answers with the events that are meant, as they come, until the one who asked has gone. The answer begins when they are heard: whoever asks
 * catches up at that moment, and would miss what happens between. Whoever does not take what comes (a computer that sleeps) is let go: he comes
 * back, and catches up, where the server would keep all of it for him.
 */
export async function eventStream(request: Request, meant: (event: ProjectEvent) => boolean): Promise<Response> {
  await listening();
  const encoder = new TextEncoder();
  let stop = (): void => {};
  const source: UnderlyingDefaultSource<Uint8Array> = {
    start(controller) {
      const send = (text: string): void => {
        try {
          controller.enqueue(encoder.encode(text));
          if ((controller.desiredSize ?? 0) > 0) return;
          stop();
          controller.error(new Error("Nobody takes these events."));
        } catch {
          stop();
        }
      };
      const off = onEvent((event) => {
        if (event.type === "again" || meant(event)) send(`data: ${JSON.stringify(event)}\n\n`);
      });
      const timer = setInterval(() => send(": here\n\n"), ALIVE_MS);
      stop = () => {
        off();
        clearInterval(timer);
      };
      request.signal.addEventListener("abort", stop);
      send(": here\n\n");
    },
    cancel: () => stop(),
  };
  const body = new ReadableStream<Uint8Array>(source, new ByteLengthQueuingStrategy({ highWaterMark: MOST_WAITING }));
  return new Response(body, { headers: { "content-type": "text/event-stream", "cache-control": "no-store" } });
}
