import type { Page } from "@playwright/test";
import { addSource, api, newProject, noise, wavFile } from "./client";
import { EditorPage } from "./editor";

export const RATE = 48_000;

/** Three tracks: on the first a, b, c of a second each with half a second between; on the second x and y; the third is empty. */
export async function small(page: Page, settings: Record<string, unknown> = {}): Promise<EditorPage> {
  const project = await newProject();
  const source = await addSource(project.projectId, wavFile([noise(RATE * 20, 7)]), "Noise.wav");
  const clip = (id: string, trackId: string, seconds: number, offset: number) => ({
    type: "add-clip",
    id,
    trackId,
    sourceId: source.id,
    start: seconds * RATE,
    offset: offset * RATE,
    length: RATE,
    name: id,
  });
  await api("POST", `/api/versions/${project.versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "t1", name: "One" },
      { type: "add-track", id: "t2", name: "Two" },
      { type: "add-track", id: "t3", name: "Three" },
      clip("a", "t1", 1, 2),
      clip("b", "t1", 2.5, 5),
      clip("c", "t1", 4, 8),
      clip("x", "t2", 1, 11),
      clip("y", "t2", 4, 14),
    ],
  });
  const editor = await EditorPage.open(page, project, { snapOn: false, edgeFadeMs: 0, overlaps: "layer", ...settings });
  await editor.show(0, 8 * RATE);
  return editor;
}
