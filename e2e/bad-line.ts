import http from "node:http";
import type { AddressInfo } from "node:net";
import { setTimeout as wait } from "node:timers/promises";

/** What becomes of a request: as it should be; lost before or after the server had it; had twice; late; cut in its answer; or answered by somebody in between. */
const FAULTS = ["lost", "answer lost", "twice", "late", "cut", 401, 403, 404, 429, 500, 502, 503] as const;
type Fault = (typeof FAULTS)[number];
const LATE_MS = 20;

interface Asked {
  readonly method: string;
  readonly url: string;
  readonly headers: http.IncomingHttpHeaders;
  readonly body: Buffer;
}
interface Answered {
  readonly status: number;
  readonly headers: http.IncomingHttpHeaders;
  readonly body: Buffer;
}

/** A proxy before a server, as bad as a line can be: one request in so many fails, at random, in one of many ways. */
export class BadLine {
  /** Requests that went through, and those that did not. */
  readonly counts = { whole: 0, broken: 0 };
  /** Out of ten requests. */
  faulty = 4;

  private constructor(
    private readonly to: URL,
    private readonly random: () => number,
    private readonly server: http.Server,
  ) {}

  static async before(address: string, random: () => number): Promise<BadLine> {
    const server = http.createServer();
    const line = new BadLine(new URL(address), random, server);
    server.on("request", (request, response) => void line.handle(request, response));
    await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
    return line;
  }

  get url(): string {
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }
  close(): void {
    this.server.closeAllConnections();
    this.server.close();
  }

  private onward({ method, url, headers, body }: Asked): Promise<Answered> {
    return new Promise((resolve, reject) => {
      const request = http.request(new URL(url, this.to), { method, headers: { ...headers, host: this.to.host } }, async (answer) => {
        const parts: Buffer[] = [];
        for await (const part of answer) parts.push(part as Buffer);
        resolve({ status: answer.statusCode ?? 502, headers: answer.headers, body: Buffer.concat(parts) });
      });
      request.on("error", reject);
      request.end(body);
    });
  }

  private async handle(request: http.IncomingMessage, response: http.ServerResponse): Promise<void> {
    const parts: Buffer[] = [];
    for await (const part of request) parts.push(part as Buffer);
    const asked: Asked = { method: request.method ?? "GET", url: request.url ?? "/", headers: request.headers, body: Buffer.concat(parts) };
    const fault: Fault | null = this.random() * 10 < this.faulty ? FAULTS[Math.floor(this.random() * FAULTS.length)] : null;
    if (fault === null) this.counts.whole++;
    else this.counts.broken++;
    if (fault === "lost") return void request.socket.destroy();
    if (typeof fault === "number") return this.inBetween(fault, response);
    if (fault === "late") await wait(this.random() * LATE_MS);
    const once = await this.onward(asked);
    const { status, headers, body } = fault === "twice" ? await this.onward(asked) : once;
    if (fault === "answer lost") return void request.socket.destroy();
    response.writeHead(status, headers);
    if (fault !== "cut") return void response.end(body);
    response.write(body.subarray(0, body.length / 2), () => request.socket.destroy());
  }

  /** An answer of a proxy, in its own form, or of the server itself while it can't. */
  private inBetween(status: number, response: http.ServerResponse): void {
    const own = this.random() < 0.5;
    response.writeHead(status, { "content-type": own ? "application/json" : "text/html" });
    response.end(own ? JSON.stringify({ error: status === 401 ? "sign-in" : "unexpected", message: "Not now." }) : "<h1>Not now</h1>");
  }
}
