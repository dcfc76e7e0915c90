import fs from "node:fs";
import path from "node:path";
import { EDITS } from "@wet-thread/core/edit/registry";
import { describe, expect, it } from "vitest";
import { editDocs } from "../../scripts/api-docs";
import { addSource, api, newProject, noise, wavFile } from "../client";

/** A small version in which every example of the docs makes sense. */
async function stage() {
  const { projectId, versionId } = await newProject();
  const source = await addSource(projectId, wavFile([noise(480_000, 3)]));
  const clip = (id: string, trackId: string, start: number, offset: number, length = 48_000) => ({
    type: "add-clip",
    id,
    trackId,
    sourceId: source.id,
    start,
    offset,
    length,
  });
  const { body } = await api("POST", `/api/versions/${versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "track-1", name: "Shuttle" },
      { type: "add-track", id: "track-2", name: "Treadle" },
      clip("clip-1", "track-1", 0, 4800),
      clip("clip-2", "track-1", 48_000, 200_000),
      clip("clip-3", "track-2", 0, 4800),
      clip("clip-4", "track-2", 48_000, 100_000),
      clip("clip-5", "track-2", 384_000, 100_000),
      clip("clip-6", "track-2", 400_000, 50_000),
      { type: "set-pitch", clipIds: ["clip-6"], cents: 500 },
      clip("clip-7", "track-1", 500_000, 0),
      { ...clip("clip-8", "track-1", 510_000, 60_000), overlap: "layer" },
      clip("clip-9", "track-1", 600_000, 0),
      { ...clip("clip-10", "track-1", 606_000, 60_000), overlap: "layer" },
      { type: "stack-takes", id: "stack-1", clipIds: ["clip-9", "clip-10"], laneIds: ["take-1", "take-2"], border: 0 },
      { type: "bundle", id: "bundle-1", clipIds: ["clip-5"] },
      { type: "set-blend", clipId: "clip-4", length: 960 },
      { type: "add-hits", clipIds: ["clip-1"], at: [24_000] },
      { type: "add-marker", id: "marker-1", position: 1000 },
      { type: "add-section", id: "section-1", start: 0, end: 96_000 },
    ],
  });
  return { projectId, versionId, revision: body.revision as number, sourceId: source.id as string };
}

describe("docs/api.md", () => {
  /** Each example has a copy of it. */
  let staged: ReturnType<typeof stage> | undefined;
  const page = fs.readFileSync(path.join(import.meta.dirname, "../../docs/api.md"), "utf8");
  it("lists every edit as the code has it (npx tsx scripts/api-docs.ts writes it)", () => {
    expect(page).toContain(editDocs());
  });
  it.each(EDITS.map((e) => [e.type, e.example] as const))("shows an example of %s that works", async (_, example) => {
    const { projectId, versionId: from, sourceId } = await (staged ??= stage());
    const copy = await api("POST", `/api/projects/${projectId}/versions`, { name: example.type, from });
    const { id: versionId, revision } = copy.body;
    const before = (await api("GET", `/api/versions/${versionId}`)).body;
    const edit = JSON.parse(JSON.stringify(example).replaceAll("source-1", sourceId));
    const done = await api("POST", `/api/versions/${versionId}/edits`, { revision, edits: [edit] });
    expect(done).toMatchObject({ status: 200, body: { revision: revision + 1 } });
    await api("POST", `/api/versions/${versionId}/undo`, {});
    expect({ ...(await api("GET", `/api/versions/${versionId}`)).body, revision: 0 }).toEqual({ ...before, revision: 0 });
  });
});
