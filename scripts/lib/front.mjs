import fs from "node:fs";
import http from "node:http";
import https from "node:https";
import { Halt } from "./shell.mjs";

/** What only a proxy that is trusted may say of a request. */
const FORWARDED = /^(x-forwarded-|x-real-ip$|forwarded$)/i;

const plain = (address = "") => address.replace(/^::ffff:/, "");

/** Reads a certificate and its key. Throws Halt in words. */
export function certificate(env = process.env) {
  const { WET_THREAD_TLS_CERT: cert, WET_THREAD_TLS_KEY: key } = env;
  if (!cert && !key) return null;
  if (!cert || !key) throw new Halt("https takes both WET_THREAD_TLS_CERT and WET_THREAD_TLS_KEY. Nothing was started.");
  try {
    return { cert: fs.readFileSync(cert), key: fs.readFileSync(key) };
  } catch (error) {
    throw new Halt(`The certificate can't be read: ${error.message}. Nothing was started.`);
  }
}

/**
 * The front of a server that is open to the network: it takes what comes at an address, over https where there is a certificate, and hands
 * it to the web server, which itself listens on loopback only. What a request says of where it came from counts only when a named proxy
 * says it. Resolves to how to stop it.
 */
export function startFront({ host, port, to, tls, proxies = [] }) {
  const trusted = new Set(proxies);
  const handle = (request, response) => {
    const from = plain(request.socket.remoteAddress);
    const byProxy = trusted.has(from);
    const headers = Object.fromEntries(Object.entries(request.headers).filter(([name]) => byProxy || !FORWARDED.test(name)));
    headers["x-forwarded-for"] = byProxy && headers["x-forwarded-for"] ? headers["x-forwarded-for"] : from;
    headers["x-forwarded-proto"] = byProxy && headers["x-forwarded-proto"] ? headers["x-forwarded-proto"] : tls ? "https" : "http";
    headers["x-forwarded-host"] = (byProxy && headers["x-forwarded-host"]) || request.headers.host || "";
    const onward = http.request({ host: "127.0.0.1", port: to, method: request.method, path: request.url, headers }, (answer) => {
      response.writeHead(answer.statusCode ?? 502, answer.headers);
      answer.pipe(response);
      answer.on("error", () => response.destroy());
    });
    onward.on("error", () => {
      if (response.headersSent) return response.destroy();
      response.writeHead(503, { "content-type": "application/json", "retry-after": "1" });
      response.end(
        JSON.stringify({ error: "server-away", message: "The server does not answer just now. Nothing was changed.", kept: "Nothing was changed." }),
      );
    });
    response.on("close", () => onward.destroy());
    request.pipe(onward);
  };
  let front;
  try {
    front = tls ? https.createServer(tls, handle) : http.createServer(handle);
  } catch (error) {
    throw new Halt(`The certificate and its key make no https: ${error.message}. Nothing was started.`);
  }
  // A long recording takes its time.
  front.requestTimeout = 0;
  return new Promise((resolve, reject) => {
    front.once("error", (error) => reject(new Halt(`The server can't listen at ${host}:${port}: ${error.message}.`)));
    front.listen(port, host, () =>
      resolve(() => {
        front.closeAllConnections();
        return new Promise((done) => front.close(() => done()));
      }),
    );
  });
}
