import { describe, expect, it } from "vitest";
import { api, BASE, newProject, noise, until, wavFile } from "../client";

const MIB = 1 << 20;

describe("an upload in parts", () => {
  const begin = async (bytes: Uint8Array) => {
    const { projectId } = await newProject();
    const { body } = await api("POST", `/api/projects/${projectId}/uploads`, { name: "Long night.wav", size: bytes.length });
    const send = (offset: number, to: number) => api("PATCH", `/api/uploads/${body.id}?offset=${offset}`, bytes.subarray(offset, to));
    const at = async () => (await api("GET", `/api/uploads/${body.id}`)).body.offset as number;
    return { id: body.id as string, part: body.part as number, send, at };
  };
  /** Begins to send a part and breaks off in the midst of it. */
  async function breakOff(id: string, offset: number, bytes: Uint8Array): Promise<void> {
    const stop = new AbortController();
    let sent = 0;
    const body = new ReadableStream<Uint8Array>({
      pull(c) {
        if (sent > 3 * MIB) return stop.abort();
        c.enqueue(bytes.subarray(offset + sent, offset + sent + MIB / 2));
        sent += MIB / 2;
      },
    });
    await fetch(`${BASE}/api/uploads/${id}?offset=${offset}`, { method: "PATCH", body, duplex: "half", signal: stop.signal } as RequestInit).catch(
      () => {},
    );
  }
  it("goes on where it was broken off, five times, and is the file that was sent, byte for byte", async () => {
    const bytes = wavFile([noise(12_000_000, 8)]);
    const { id, part, send, at } = await begin(bytes);
    for (let offset = 0, broken = 0; offset < bytes.length; offset = await at().catch(() => bytes.length)) {
      if (broken++ < 5) {
        await breakOff(id, offset, bytes);
        await until(
          () => api("PATCH", `/api/uploads/${id}?offset=${bytes.length * 2}`, new Uint8Array(0)),
          (a) => a.body.error === "offset",
        );
        expect(await at()).toBe(offset);
      }
      const { status, body } = await send(offset, Math.min(bytes.length, offset + part));
      expect(status).toBe(200);
      if (body.source) break;
    }
    await until(
      () => api("GET", `/api/sources/${id}`),
      (a) => a.body.status === "ready",
    );
    const back = Buffer.from(await (await fetch(`${BASE}/api/sources/${id}/file`)).arrayBuffer());
    expect(back.equals(Buffer.from(bytes))).toBe(true);
  });
  it("takes parts only where they belong, and nothing that is no audio", async () => {
    const bytes = wavFile([noise(3_000_000, 9)]);
    const { send, at, part } = await begin(bytes);
    expect((await send(part, bytes.length)).body).toMatchObject({ error: "offset", offset: 0 });
    expect((await send(0, 1000)).body).toMatchObject({ error: "part" });
    expect(await at()).toBe(0);
    const words = await begin(new TextEncoder().encode("only words, and not a sound among them"));
    expect((await words.send(0, 100)).status).toBe(415);
    expect((await api("GET", `/api/sources/${words.id}`)).status).toBe(404);
    const { projectId } = await newProject();
    expect((await api("POST", `/api/projects/${projectId}/uploads`, { name: "x", size: 2 ** 50 })).status).toBe(413);
  });
  it("forty at once keep nobody else waiting", async () => {
    const bytes = wavFile([noise(400_000, 10)]);
    const all = await Promise.all(Array.from({ length: 40 }, () => begin(bytes)));
    let answered = 0;
    let done = false;
    const asking = (async () => {
      while (!done) {
        await api("GET", "/api/health");
        answered++;
      }
    })();
    const answers = await Promise.all(all.map((u) => u.send(0, bytes.length)));
    done = true;
    await asking;
    expect(answers.every((a) => a.body.source)).toBe(true);
    expect(answered).toBeGreaterThan(5);
  });
});
