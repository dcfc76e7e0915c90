import { describe, expect, it } from "vitest";
import { api, BASE, newProject } from "../client";
import { unzipped } from "../zip";

// What undo and redo name, what is no step, and copies that are made while somebody edits.

async function stage(names: readonly string[]) {
  const made = await newProject();
  let revision = 0;
  for (const name of names) {
    const { status, body } = await add(made.versionId, revision, name);
    expect(status, JSON.stringify(body)).toBe(200);
    ({ revision } = body);
  }
  return { ...made, revision };
}
const add = (versionId: string, revision: number, id: string) =>
  api("POST", `/api/versions/${versionId}/edits`, { revision, edits: [{ type: "add-track", id }], key: `key-${id}` });
const tracksOf = async (versionId: string): Promise<string[]> =>
  (await api("GET", `/api/versions/${versionId}`)).body.tracks.map((t: { id: string }) => t.id);
const historyOf = async (versionId: string): Promise<[string, string][]> =>
  (await api("GET", `/api/versions/${versionId}/history`)).body.steps.map((s: { name: string; state: string }) => [s.name, s.state]);

describe("undo and redo", () => {
  it("take back only what was named, by its revision or its key, and say what came to lie on it", async () => {
    const { versionId } = await stage(["a", "b"]);
    const undo = (body: object) => api("POST", `/api/versions/${versionId}/undo`, body);
    expect(await undo({ of: { revision: 1 } })).toMatchObject({ status: 409, body: { error: "overtaken", revision: 2 } });
    expect(await undo({ of: { key: "key-a" } })).toMatchObject({ status: 409, body: { error: "overtaken" } });
    expect(await tracksOf(versionId)).toEqual(["a", "b"]);
    expect(await undo({ of: { key: "key-b" } })).toMatchObject({ status: 200, body: { kind: "undo", target: 2 } });
    expect(await undo({ of: { revision: 1 } })).toMatchObject({ status: 200, body: { target: 1 } });
    expect(await tracksOf(versionId)).toEqual([]);
    expect(await api("POST", `/api/versions/${versionId}/redo`, { of: { revision: 2 } })).toMatchObject({ status: 409 });
    expect(await api("POST", `/api/versions/${versionId}/redo`, { of: { revision: 1 } })).toMatchObject({ status: 200 });
    expect(await tracksOf(versionId)).toEqual(["a"]);
  });
  it("follow an edit that is known again by its key, though its answer was lost and what it makes is there", async () => {
    const { versionId } = await stage(["a", "b"]);
    // As a new page sends it that has fetched what is there, and found the step among what an old one could not send.
    const again = await add(versionId, 2, "a");
    expect([again.status, again.body.revision, again.body.name]).toEqual([200, 1, "Add track Track 1"]);
    expect(await historyOf(versionId)).toHaveLength(2);
  });
  it("asked for again with the same key are done once", async () => {
    const { versionId } = await stage(["a", "b"]);
    const undo = () => api("POST", `/api/versions/${versionId}/undo`, { key: "once-only" });
    const [first, second] = [await undo(), await undo()];
    expect(second.body).toEqual(first.body);
    expect(await tracksOf(versionId)).toEqual(["a"]);
  });
  it("tell the changes of steps by their revisions", async () => {
    const { versionId } = await stage(["a", "b", "c"]);
    const { body } = await api("GET", `/api/versions/${versionId}/steps?revisions=1,3,9`);
    expect(body.steps.map((s: { revision: number; key: string; kind: string }) => [s.revision, s.key, s.kind])).toEqual([
      [1, "key-a", "edit"],
      [3, "key-c", "edit"],
    ]);
    for (const wrong of ["revisions=", "revisions=a", "revisions=-1", ""])
      expect((await api("GET", `/api/versions/${versionId}/steps?${wrong}`)).status, wrong).toBe(400);
  });
});

describe("what only shows or listens", () => {
  it("is kept with the version, listed in no history, taken back by nothing, and ends no redo", async () => {
    const { versionId, revision } = await stage(["a", "b"]);
    await api("POST", `/api/versions/${versionId}/undo`, {});
    const edits = [{ type: "set-track", trackIds: ["a"], height: 170, solo: true }];
    const shown = await api("POST", `/api/versions/${versionId}/edits`, { revision: revision + 1, edits });
    expect(shown).toMatchObject({ status: 200, body: { kind: "show", revision: revision + 2 } });
    expect(await historyOf(versionId)).toEqual([
      ["Add track Track 1", "done"],
      ["Add track Track 2", "undone"],
    ]);
    expect((await api("POST", `/api/versions/${versionId}/redo`, {})).status).toBe(200);
    expect((await api("POST", `/api/versions/${versionId}/undo`, { to: 0 })).status).toBe(200);
    expect((await api("POST", `/api/versions/${versionId}/redo`, {})).status).toBe(200);
    expect((await api("GET", `/api/versions/${versionId}`)).body.tracks[0]).toMatchObject({ id: "a", height: 96, solo: false });
  });
});

describe("a project that somebody edits", () => {
  it("is copied as it was at one moment, whenever that is: every copy can be edited, undone and redone", async () => {
    const { projectId, versionId, revision } = await stage(["a"]);
    let [at, on] = [revision, true];
    const busy = (async () => {
      for (let n = 0; on; n++) {
        const { status, body } = n % 3 === 2 ? await api("POST", `/api/versions/${versionId}/undo`, {}) : await add(versionId, at, `busy-${n}`);
        expect(status).toBe(200);
        at = body.revision;
      }
    })();
    for (let k = 0; k < 8; k++) {
      const { body: copy } = await api("POST", `/api/projects/${projectId}/duplicate`, {});
      const [{ id, revision: copied }] = copy.versions;
      expect(await add(id, copied, "own")).toMatchObject({ status: 200 });
      expect(await api("POST", `/api/versions/${id}/undo`, { to: 0 })).toMatchObject({ status: 200 });
      expect(await tracksOf(id)).toEqual([]);
    }
    on = false;
    await busy;
  });
  it("lies in its archive with the history that led to what lies in it", async () => {
    const { projectId, versionId, revision } = await stage(["a", "b", "c"]);
    await api("POST", `/api/versions/${versionId}/undo`, {});
    await add(versionId, revision + 1, "d");
    await api("POST", `/api/versions/${versionId}/undo`, {});
    const asked = await fetch(`${BASE}/api/projects/${projectId}/archive?history=1`);
    // By now the piece goes on, while the archive is read.
    await api("POST", `/api/versions/${versionId}/undo`, {});
    await api("POST", `/api/versions/${versionId}/redo`, {});
    const files = await unzipped(new Uint8Array(await asked.arrayBuffer()));
    const text = (end: string) => Buffer.from([...files].find(([name]) => name.endsWith(end))?.[1] ?? []).toString("utf8");
    const lines = text("history.ndjson")
      .trim()
      .split("\n")
      .map((l) => JSON.parse(l));
    const about = JSON.parse(text("project.json"));
    expect(lines).toHaveLength(about.versions[0].revision);
    const edits = lines.filter((l) => l.kind === "edit").map((l) => [l.key, l.state]);
    expect(edits).toEqual([
      ["key-a", "done"],
      ["key-b", "done"],
      ["key-c", "dropped"],
      ["key-d", "undone"],
    ]);
  });
});
