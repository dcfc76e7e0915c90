import { describe, expect, it } from "vitest";
import yazl from "yazl";
import { addSource, aPart, api, BASE, exportWav, newProject, noise, until, wavFile } from "../client";
import { unzipped } from "../zip";

// A whole project as one zip, read back; copies of projects, and their removal.

async function piece() {
  const { projectId, versionId } = await newProject();
  const one = await addSource(projectId, wavFile([noise(90_000, 3)], "i16"), "Loom / one.wav");
  const other = await addSource(projectId, wavFile([noise(44_100, 4), noise(44_100, 5)], "i24", 44_100), "loom - one.wav");
  const edits = [
    { type: "add-track", id: "t", name: "Loom" },
    { type: "add-clip", id: "a", trackId: "t", sourceId: one.id, start: 1000, length: 20_000, offset: 500 },
    { type: "add-clip", id: "b", trackId: "t", sourceId: other.id, start: 30_000, length: 18_000 },
    { type: "reverse", clipIds: ["b"] },
    { type: "add-marker", position: 4000, name: "Belt" },
  ];
  const done = await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits });
  if (done.status !== 200) throw new Error(JSON.stringify(done.body));
  await api("POST", `/api/versions/${versionId}/edits`, { revision: 1, edits: [{ type: "set-gain", clipIds: ["a"], gain: -6 }] });
  await api("POST", `/api/versions/${versionId}/undo`, { revision: 2 });
  // What only shows is kept with the version, and is in no list of steps.
  const shown = await api("POST", `/api/versions/${versionId}/edits`, { revision: 3, edits: [{ type: "set-track", trackIds: ["t"], height: 150 }] });
  if (shown.body.revision !== 4) throw new Error(JSON.stringify(shown.body));
  await api("PATCH", `/api/versions/${versionId}`, { modes: { snapOn: false, nudge: { kind: "grid" } } });
  const copy = await api("POST", `/api/projects/${projectId}/versions`, { name: "Short cut", from: versionId });
  const part = aPart();
  expect((await api("POST", `/api/sources/${one.id}/parts`, { parts: [part] })).status).toBe(200);
  return { projectId, versionId, copyId: copy.body.id, sources: [one.id, other.id] };
}

async function archive(projectId: string, query = ""): Promise<Uint8Array<ArrayBuffer>> {
  const answer = await fetch(`${BASE}/api/projects/${projectId}/archive${query}`);
  expect([answer.status, answer.headers.get("content-type")]).toEqual([200, "application/zip"]);
  return new Uint8Array(await answer.arrayBuffer());
}
const allRead = (projectId: string) =>
  until(
    () => api("GET", `/api/projects/${projectId}`),
    (a) => a.body.sources.every((s: { status: string }) => s.status === "ready"),
  );

/** What a version holds, with recordings by their names. */
async function content(versionId: string, sources: readonly { id: string; name: string }[], revision = false) {
  const { body } = await api("GET", `/api/versions/${versionId}`);
  const { id: _, projectId: __, revision: at, ...rest } = body;
  let text = JSON.stringify(rest);
  for (const s of sources) text = text.replaceAll(s.id, `<${s.name}>`);
  return { ...JSON.parse(text), ...(revision && { revision: at }) };
}

const entries = async (bytes: Uint8Array): Promise<[string, Buffer][]> => [...(await unzipped(bytes))];
async function zipOf(files: readonly [string, Buffer][]): Promise<Uint8Array<ArrayBuffer>> {
  const zip = new yazl.ZipFile();
  for (const [name, bytes] of files) zip.addBuffer(bytes, name);
  zip.end();
  const parts: Buffer[] = [];
  for await (const part of zip.outputStream) parts.push(part as Buffer);
  return new Uint8Array(Buffer.concat(parts));
}

/** Gives a project a name of its own, and counts those that have it: other tests make projects meanwhile. */
async function counted(projectId: string): Promise<() => Promise<number>> {
  const name = `Piece ${projectId}`;
  await api("PATCH", `/api/projects/${projectId}`, { name });
  return async () => (await api("GET", "/api/projects")).body.projects.filter((p: { name: string }) => p.name === name).length;
}

describe("project archives", () => {
  it.each([false, true])("read back as a second project with the same content and the same samples; with history: %s", async (history) => {
    const { projectId, versionId, copyId } = await piece();
    const bytes = await archive(projectId, history ? "?history=1" : "");
    const made = await api("POST", "/api/projects/archive", bytes);
    expect([made.status, made.body.left]).toEqual([201, []]);
    const { body: read } = await allRead(made.body.id);
    const { body: first } = await api("GET", `/api/projects/${projectId}`);
    expect(read.versions.map((v: { name: string }) => v.name)).toEqual(["First version", "Short cut"]);
    for (const [i, id] of [versionId, copyId].entries()) {
      expect(await content(read.versions[i].id, read.sources, history)).toEqual(await content(id, first.sources, history));
      expect(Buffer.compare(await exportWav(read.versions[i].id), await exportWav(id))).toBe(0);
    }
    const modes = (of: { versions: { modes: unknown }[] }) => of.versions.map((v) => v.modes);
    expect(modes(read)).toEqual([
      { snapOn: false, nudge: { kind: "grid" } },
      { snapOn: false, nudge: { kind: "grid" } },
    ]);
    for (const [i, s] of first.sources.entries()) {
      const [a, b] = await Promise.all(
        [s.id, read.sources[i].id].map(async (id) => Buffer.from(await (await fetch(`${BASE}/api/sources/${id}/file`)).arrayBuffer())),
      );
      expect(a.equals(b)).toBe(true);
      expect(read.sources[i].parts).toEqual(s.parts);
    }
    expect(read.sources.map((s: { parts: { name: string }[] }) => s.parts.map((p) => p.name))).toEqual([["Stroke"], []]);
    // What was undone can be done again, where its steps came along.
    const redo = await api("POST", `/api/versions/${read.versions[0].id}/redo`, { revision: history ? 4 : 0 });
    expect(redo.status).toBe(history ? 200 : 422);
    if (history) {
      expect(redo.body.name).toBe("Gain of one");
      const steps = async (id: string) => (await api("GET", `/api/versions/${id}/steps?after=0`)).body.steps.map((s: { kind: string }) => s.kind);
      expect((await steps(read.versions[0].id)).slice(0, 4)).toEqual(["edit", "edit", "undo", "show"]);
      const list = (id: string) => api("GET", `/api/versions/${id}/history`);
      expect((await list(read.versions[1].id)).body).toEqual((await list(copyId)).body);
    }
  });
  it("holds recordings under names of their own, and nothing else than it lists", async () => {
    const { projectId } = await piece();
    const names = (await entries(await archive(projectId))).map(([name]) => name);
    expect(names).toEqual(["project.json", "versions/1.json", "versions/2.json", "recordings/one.wav", "recordings/loom - one.wav"]);
  });
  it("that is damaged says which entry, and is read as far as it is whole if that is wanted", async () => {
    const { projectId } = await piece();
    const ofIts = await counted(projectId);
    const bytes = await archive(projectId);
    // In the midst of the first recording, which lies uncompressed.
    const place = Buffer.from(bytes).indexOf("recordings/one.wav") + 60_000;
    bytes[place] ^= 0xff;
    const refused = await api("POST", "/api/projects/archive", bytes);
    expect(refused.status).toBe(422);
    expect(refused.body).toMatchObject({
      error: "broken-archive",
      entries: [{ name: "recordings/one.wav", reason: expect.stringMatching(/checksum/) }],
    });
    expect(await ofIts()).toBe(1);
    const partly = await api("POST", "/api/projects/archive?partial=1", bytes);
    expect(partly.status).toBe(201);
    expect(partly.body.left.join("; ")).toMatch(/one.wav.*checksum.*1 clips of recordings/);
    const { body } = await allRead(partly.body.id);
    expect((await api("GET", `/api/versions/${body.versions[0].id}`)).body.clips.map((c: { id: string }) => c.id)).toEqual(["b"]);
  });
  it.each<[string, (files: [string, Buffer][]) => [string, Buffer][], RegExp]>([
    ["that lacks its list", (f) => f.filter(([n]) => n !== "project.json"), /project.json: is missing/],
    ["that lacks a version", (f) => f.filter(([n]) => n !== "versions/1.json"), /versions\/1.json: is missing/],
    [
      "of a later release",
      (f) => f.map(([n, b]) => (n === "project.json" ? [n, Buffer.from(b.toString().replace('"formatVersion": 2', '"formatVersion": 9'))] : [n, b])),
      /later release/,
    ],
    // Read letter by letter from each mark on, it would keep its reader busy for hours.
    [
      "whose version is one endless text",
      (f) => f.map(([n, b]) => (n === "versions/1.json" ? [n, Buffer.from(`"${'\\\\"'.repeat(500_000)}`)] : [n, b])),
      /versions\/1.json: it is no whole JSON/,
    ],
    ["whose list is no JSON", (f) => f.map(([n, b]) => (n === "project.json" ? [n, Buffer.from("{")] : [n, b])), /no whole JSON/],
    [
      "whose version holds what none can",
      (f) => f.map(([n, b]) => (n === "versions/1.json" ? [n, Buffer.from(b.toString().replace('"length":20000', '"length":-1'))] : [n, b])),
      /versions\/1.json: clips/,
    ],
    [
      "whose recording is none",
      (f) => f.map(([n, b]) => (n === "recordings/one.wav" ? [n, Buffer.alloc(b.length)] : [n, b])),
      /one.wav: .*not audio/,
    ],
  ])("%s is refused in words, and nothing is made of it", async (_, change, message) => {
    const { projectId } = await piece();
    const ofIts = await counted(projectId);
    const bytes = await zipOf(change(await entries(await archive(projectId))));
    const answer = await api("POST", "/api/projects/archive", bytes);
    expect([answer.status, answer.body.message]).toEqual([422, expect.stringMatching(message)]);
    expect(await ofIts()).toBe(1);
  });
  it("whose history is one endless line is refused before it is held", async () => {
    const { projectId } = await piece();
    const ofIts = await counted(projectId);
    const endless = async (n: string, b: Buffer): Promise<[string, Buffer]> => [
      n,
      n === "versions/1.history.ndjson" ? Buffer.alloc(80 << 20, 32) : b,
    ];
    const files = await Promise.all((await entries(await archive(projectId, "?history=1"))).map(([n, b]) => endless(n, b)));
    const answer = await api("POST", "/api/projects/archive", await zipOf(files));
    expect([answer.status, answer.body.message]).toEqual([422, expect.stringMatching(/longer than any that can be made/)]);
    expect(await ofIts()).toBe(1);
  });
  it("that is no zip at all is refused, whatever it is", async () => {
    for (const bytes of [new Uint8Array(0), new TextEncoder().encode("PK nothing"), (await archive((await piece()).projectId)).slice(0, 5000)])
      expect((await api("POST", "/api/projects/archive", bytes)).status).toBe(422);
  });
});

describe("projects", () => {
  it("are renamed, copied with their recordings shared, removed and put back", async () => {
    const { projectId, versionId, sources } = await piece();
    expect((await api("PATCH", `/api/projects/${projectId}`, { name: "Mill, day" })).body.name).toBe("Mill, day");
    expect((await api("PATCH", `/api/projects/${projectId}`, { name: " " })).status).toBe(400);
    const copy = (await api("POST", `/api/projects/${projectId}/duplicate`, {})).body;
    expect([copy.name, copy.sources.map((s: { id: string }) => s.id)]).toEqual(["Mill, day, copy", sources]);
    expect(await content(copy.versions[0].id, copy.sources, true)).toEqual(await content(versionId, copy.sources, true));
    expect(Buffer.compare(await exportWav(copy.versions[0].id), await exportWav(versionId))).toBe(0);
    // Each goes its own way.
    expect((await api("POST", `/api/versions/${copy.versions[0].id}/redo`, { revision: 4 })).status).toBe(200);
    expect((await api("GET", `/api/versions/${versionId}`)).body.revision).toBe(4);
    // A recording that the copy uses stays, whatever becomes of the first.
    const gone = await api("POST", `/api/versions/${versionId}/edits`, { revision: 4, edits: [{ type: "delete", clipIds: ["a", "b"] }] });
    expect(gone.status).toBe(200);
    expect((await api("POST", `/api/projects/${projectId}/sources/unused`, {})).body.ids).toEqual([]);
    expect((await api("DELETE", `/api/sources/${sources[0]}`)).status).toBe(409);

    const list = async (query = "") => (await api("GET", `/api/projects${query}`)).body.projects.map((p: { id: string }) => p.id);
    expect((await api("DELETE", `/api/projects/${projectId}`)).body).toMatchObject({ removed: true, days: 30 });
    expect([(await list()).includes(projectId), (await list("?removed=1")).includes(projectId)]).toEqual([false, true]);
    expect((await api("GET", `/api/projects/${projectId}`)).status).toBe(410);
    expect((await exportWav(copy.versions[0].id)).length).toBeGreaterThan(1000);
    expect((await api("POST", `/api/projects/${projectId}/restore`)).status).toBe(200);
    expect((await list()).includes(projectId)).toBe(true);
  });
  it("tell their size, and give a picture of themselves", async () => {
    const { projectId } = await piece();
    const row = (await api("GET", "/api/projects")).body.projects.find((p: { id: string }) => p.id === projectId);
    expect(row.bytes).toBeGreaterThan(90_000 * 2 + 44_100 * 6 + 48_000 * 2 * 4);
    const { columns, tracks } = (await api("GET", `/api/projects/${projectId}/picture`)).body;
    expect(columns).toBe(240);
    expect(tracks).toEqual([
      {
        color: expect.any(String),
        spans: [
          [5, 105],
          [150, 240],
        ],
      },
    ]);
  });
});

describe("edit decision lists", () => {
  it("go out with what they leave out, and come back as a version of the same places", async () => {
    const { projectId, versionId } = await piece();
    const check = (await api("GET", `/api/versions/${versionId}/interchange/edl?check=1&frameRate=29.97%20drop`)).body;
    expect(check.left.join(" ")).toMatch(/places lie between frames.*turned round/);
    const answer = await fetch(`${BASE}/api/versions/${versionId}/interchange/edl?frameRate=29.97%20drop&start=10:00:00:00`);
    const text = await answer.text();
    expect([answer.headers.get("content-disposition"), text]).toEqual([
      expect.stringMatching(/\.edl/),
      expect.stringMatching(/FCM: DROP FRAME[\s\S]*10:00:00;01/),
    ]);
    const back = await api("POST", `/api/projects/${projectId}/interchange?name=cut.edl`, text);
    expect([back.status, back.body.missing]).toEqual([201, []]);
    const { clips } = (await api("GET", `/api/versions/${back.body.version.id}`)).body;
    expect(clips.map((c: Record<string, number>) => [c.start, c.offset, c.length]).sort((a: number[], b: number[]) => a[0] - b[0])).toEqual([
      [1000, 500, 20_000],
      [30_000, expect.any(Number), 18_000],
    ]);
    expect((await api("GET", `/api/versions/${versionId}/interchange/edl?start=noon`)).status).toBe(400);
    expect((await api("POST", `/api/projects/${projectId}/interchange?name=x.edl`, "TITLE: nothing\n")).status).toBe(422);
  });
});
