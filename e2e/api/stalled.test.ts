import { once } from "node:events";
import { readdirSync } from "node:fs";
import http from "node:http";
import net from "node:net";
import { tmpdir } from "node:os";
import { afterEach, describe, expect, it } from "vitest";
import { addSource, api, BASE, newProject, noise, until, wavFile } from "../client";

// Whoever stands still, leaves or sends too much keeps nobody else waiting, and leaves nothing behind.

const MIB = 1 << 20;
const { hostname, port } = new URL(BASE);
const open: net.Socket[] = [];
afterEach(() => {
  for (const socket of open.splice(0)) socket.destroy();
});

/** Sends the beginning of a request over a line of its own, which stays open; returns the line. */
async function begin(text: string, ...bytes: Uint8Array[]): Promise<net.Socket> {
  const socket = net.connect(Number(port), hostname);
  open.push(socket);
  await once(socket, "connect");
  socket.write(text);
  for (const piece of bytes) socket.write(piece);
  return socket;
}
const head = (method: string, path: string, length?: number): string =>
  `${method} ${path} HTTP/1.1\r\nhost: ${hostname}:${port}\r\n${length === undefined ? "" : `content-length: ${length}\r\n`}\r\n`;

describe("downloads that stand still", () => {
  it("hold no connection of the database: everybody else goes on", async () => {
    const { projectId, versionId } = await newProject();
    const one = await addSource(projectId, wavFile([noise(12_000_000, 3)]), "long.wav");
    // Twice as many as the server has connections; each is answered, and takes no more than its first bytes.
    const lines = await Promise.all(Array.from({ length: 26 }, () => begin(head("GET", `/api/sources/${one.id}/file`))));
    await Promise.all(
      lines.map(async (line) => {
        await once(line, "data");
        line.pause();
      }),
    );
    for (let i = 0; i < 5; i++)
      expect((await api("POST", `/api/versions/${versionId}/edits`, { revision: i, edits: [{ type: "add-marker", position: i }] })).status).toBe(200);
    expect((await api("GET", `/api/projects/${projectId}`)).status).toBe(200);
    // One that goes on gets all of it.
    const [first] = lines;
    let size = 0;
    first.on("data", (d) => {
      size += d.length;
    });
    first.resume();
    await until(
      async () => size,
      (n) => n > 47 * MIB - 200_000 || n >= 48_000_000 - 200_000,
    );
  }, 60_000);
});

describe("uploads that stand still", () => {
  it("stop no others, and one that waits for its turn is kept", async () => {
    const { projectId } = await newProject();
    const bytes = wavFile([noise(3_000_000, 4)]);
    const path = `/api/projects/${projectId}/sources?name=slow.wav`;
    const slow = await Promise.all(Array.from({ length: 6 }, () => begin(head("POST", path, bytes.length), bytes.subarray(0, 2.5 * MIB))));
    const { status, body } = await api("POST", `/api/projects/${projectId}/sources?name=quick.wav`, bytes);
    expect(status).toBe(201);
    await until(
      () => api("GET", `/api/sources/${body.id}`),
      (a) => a.body.status === "ready",
    );
    // They go on in the end, and are as good as the other.
    for (const line of slow) line.write(bytes.subarray(2.5 * MIB));
    const all = await until(
      () => api("GET", `/api/projects/${projectId}`),
      (a) => a.body.sources.length === 7 && a.body.sources.every((s: { status: string }) => s.status === "ready"),
    );
    expect(all.body.sources.map((s: { bytes: number }) => s.bytes)).toEqual(Array(7).fill(bytes.length));
  }, 60_000);
});

describe("an archive whose sender leaves", () => {
  const folders = (): number => readdirSync(tmpdir()).filter((name) => /^wet-thread-[A-Za-z0-9]{6}$/.test(name)).length;
  it("leaves no project and no file behind", async () => {
    const { projectId } = await newProject();
    await addSource(projectId, wavFile([noise(1_500_000, 5)]), "one.wav");
    const name = `Left ${Date.now()}`;
    await api("PATCH", `/api/projects/${projectId}`, { name });
    const bytes = new Uint8Array(await (await fetch(`${BASE}/api/projects/${projectId}/archive`)).arrayBuffer());
    const before = folders();
    // Some leave before all of it has come, with and without having said how long it is; one when all of it has.
    const chunked = (piece: Uint8Array): Uint8Array[] => [Buffer.from(`${piece.length.toString(16)}\r\n`), piece, Buffer.from("\r\n")];
    const cut = bytes.subarray(0, bytes.length - 5000);
    const said = await begin(head("POST", "/api/projects/archive", bytes.length), cut);
    const unsaid = await begin(head("POST", "/api/projects/archive").replace("\r\n\r\n", "\r\ntransfer-encoding: chunked\r\n\r\n"), ...chunked(cut));
    await until(
      async () => folders(),
      (n) => n === before + 2,
    );
    for (const line of [said, unsaid]) line.destroy();
    await until(
      async () => folders(),
      (n) => n === before,
    );
    const { projects } = (await api("GET", "/api/projects")).body;
    expect(projects.filter((p: { name: string }) => p.name === name).map((p: { id: string }) => p.id)).toEqual([projectId]);
  }, 60_000);
});

describe("bodies that are too long", () => {
  it("are not read: files of other programs too", async () => {
    const { projectId } = await newProject();
    const answer = await new Promise<http.IncomingMessage>((resolve, reject) => {
      const path = `/api/projects/${projectId}/interchange?name=long`;
      const request = http.request({ hostname, port, path, method: "POST", headers: { "content-length": String(600 * MIB) } }, resolve);
      request.on("error", reject);
      // No more than its beginning is ever sent.
      request.write(Buffer.alloc(1000));
    });
    expect(answer.statusCode).toBe(413);
    answer.destroy();
    const long = new ReadableStream<Uint8Array>({
      pull: (c) => c.enqueue(new Uint8Array(MIB)),
    });
    const endless = await fetch(`${BASE}/api/projects/${projectId}/interchange?name=long`, {
      method: "POST",
      body: long,
      duplex: "half",
    } as RequestInit).catch(() => null);
    // It is told so, where it reads an answer before it has sent all.
    expect(endless?.status ?? 413).toBe(413);
    expect((await api("GET", `/api/projects/${projectId}`)).body.versions).toHaveLength(1);
  });
  it("and texts that are none are refused in words", async () => {
    const { projectId } = await newProject();
    const { status, body } = await api("POST", `/api/projects/${projectId}/sources/unused`, { restore: ["a\u0000b", "\ud800"] });
    expect([status, body.error]).toEqual([400, "malformed"]);
  });
});
