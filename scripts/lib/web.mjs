// The web server, as a process of its own: node scripts/lib/web.mjs PORT HOST, from the folder of the next application.
import http from "node:http";
import next from "next";

const [port, hostname] = [Number(process.argv[2]), process.argv[3]];
const app = next({ dir: process.cwd(), dev: false, port, hostname });
await app.prepare();
const framework = app.getRequestHandler();
// What is asked most often is answered without the framework; the application says what (studio/direct.ts).
/** Whether an address is text: `%ff` and lone halves of a pair are none, and would break whoever reads them. */
function isText(address) {
  try {
    decodeURIComponent(address);
    return true;
  } catch {
    return false;
  }
}
const refuse = (response, status, error, message) =>
  response
    .writeHead(status, { "content-type": "application/json; charset=utf-8" })
    .end(JSON.stringify({ error, message, kept: "Nothing was changed." }));

const server = http.createServer((request, response) => {
  if (request.method === "TRACE" || request.method === "CONNECT") return refuse(response, 405, "method", `There is no ${request.method} here.`);
  if (!isText(request.url ?? "/")) return refuse(response, 400, "malformed", "This address can't be read: it holds what is no text.");
  if (!globalThis.wetThreadDirect?.(request, response)) void framework(request, response);
});
// Longer than whoever asks keeps a connection: none is closed just as a request is sent over it. A long recording takes its time.
server.keepAliveTimeout = 65_000;
server.requestTimeout = 0;
server.on("error", (error) => {
  console.error(`The web server can't listen at ${hostname}:${port}: ${error.message}`);
  process.exit(1);
});
server.listen(port, hostname);

// A fault that nobody met is told, and all else goes on: people are at work on this server.
for (const fault of ["uncaughtException", "unhandledRejection"]) process.on(fault, (error) => console.error(error));

/** How long answers under way may take when the server ends. */
const LAST_MS = 1000;
for (const signal of ["SIGINT", "SIGTERM"])
  process.once(signal, () => {
    setTimeout(() => process.exit(0), LAST_MS);
    server.close(() => process.exit(0));
    server.closeIdleConnections();
  });
