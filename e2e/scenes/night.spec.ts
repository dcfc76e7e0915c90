import { encodeFrames, wavHeader } from "@wet-thread/core/media/wav/writer";
import type { Clip } from "@wet-thread/core/model/schema";
import { noise, until } from "../client";
import { OwnServer } from "../own-server";
import { expect, test } from "../scene";

/** Low enough that four hours are sent and read in seconds; nothing else depends on it. */
const RATE = 8000;
const HOURS = 4;
const CUTS = 300;

/** Four hours of soft noise with a knock each second. */
function night(): Uint8Array<ArrayBuffer> {
  const second = noise(RATE, 9).map((v, i) => v * 0.1 + 0.5 * Math.exp(-i / 300) * (i % 2 ? 1 : -1));
  const bytes = encodeFrames([second], RATE, "i16", null);
  const seconds = HOURS * 3600;
  const head = wavHeader(1, RATE, "i16", seconds * RATE);
  const out = new Uint8Array(head.length + seconds * bytes.length);
  out.set(head);
  for (let i = 0; i < seconds; i++) out.set(bytes, head.length + i * bytes.length);
  return out;
}

test("scene 16, the long night: four hours, 600 faded edges, the tab closed in an edit while the server is killed, and nothing is lost", {
  tag: "@alone",
}, async ({ browser }) => {
  test.setTimeout(240_000);
  const own = await OwnServer.start(".test/night");
  const call = <T>(at: string, body?: unknown): Promise<T> => own.must<T>(body === undefined ? "GET" : "POST", at, body);
  const context = await browser.newContext();
  try {
    const project = await call<{ id: string; versions: { id: string }[] }>("/api/projects", { name: "The long night", sampleRate: RATE });
    const versionId = project.versions[0].id;
    const { id: sourceId } = await call<{ id: string }>(`/api/projects/${project.id}/sources?name=night.wav`, night());
    await until(
      () => call<{ status: string }>(`/api/sources/${sourceId}`),
      (s) => s.status === "ready",
    );
    const edit = (revision: number, edits: object[]) => call<{ revision: number }>(`/api/versions/${versionId}/edits`, { revision, edits });
    let { revision } = await edit(0, [
      { type: "add-track", id: "night", name: "Night" },
      { type: "add-clip", id: "take", trackId: "night", sourceId, start: 0 },
    ]);
    const fade = { length: RATE / 100, shape: "power", bend: 0 };
    // From the end on, each a step of its own: half a second out, the gap closed, both edges faded.
    for (let k = CUTS; k >= 1; k--) {
      const start = Math.round((k * HOURS * 3600 * RATE) / (CUTS + 1));
      const range = { start, end: start + RATE / 2, trackIds: ["night"] };
      ({ revision } = await edit(revision, [{ type: "delete-range", ...range, neighbours: "ripple", edgeFade: fade }]));
    }
    const clips = async (): Promise<Clip[]> => (await call<{ clips: Clip[] }>(`/api/versions/${versionId}`)).clips.sort((a, b) => a.start - b.start);
    const cut = await clips();
    expect(cut).toHaveLength(CUTS + 1);
    expect(cut.at(-1)).toMatchObject({ start: expect.any(Number), fadeIn: { length: fade.length } });

    // By hand, in minutes and seconds: to a seam by key, close to it, its clip nudged.
    const settings = {
      family: "time",
      readOuts: ["time", "samples"],
      rulers: ["time"],
      nudge: { kind: "step", step: { kind: "time", milliseconds: 10 } },
    };
    await context.addInitScript((state) => {
      if (!localStorage.getItem("wet-thread settings")) localStorage.setItem("wet-thread settings", JSON.stringify({ state, version: 0 }));
    }, settings);
    const page = await context.newPage();
    await page.goto(`${own.url}/p/${project.id}`);
    const saved = (where = page) => expect(where.getByTestId("save-state")).toHaveAttribute("data-save", "saved");
    await expect(page.getByTestId("lanes")).toHaveAttribute("data-samples-per-pixel", /\d/);
    await page.keyboard.press("Alt+ArrowDown");
    for (let i = 0; i < 40; i++) await page.keyboard.press("n");
    await expect(page.getByTestId("selection")).toContainText("1 clip");
    await page.keyboard.press("z");
    await page.keyboard.press("u");
    await saved();
    await expect.poll(async () => (await clips())[39].mute).toBe(true);

    // The server is killed, an edit is made, and the tab is closed before it could be sent.
    await own.killWeb();
    await page.keyboard.press("n");
    await page.keyboard.press("u");
    await expect(page.getByTestId("save-state")).toContainText("kept here");
    await page.close();
    await own.startWeb();
    expect((await clips())[40].mute).toBe(false);

    // Back again: all of it is there, and what was not sent goes on its way.
    const again = await context.newPage();
    await again.goto(`${own.url}/p/${project.id}`);
    await expect(again.getByText("One step that had not been sent is back")).toBeVisible();
    await saved(again);
    const after = await clips();
    expect(after.map((c) => c.mute).flatMap((m, i) => (m ? [i] : []))).toEqual([39, 40]);
    expect(after.map((c) => ({ ...c, mute: false }))).toEqual(cut.map((c) => ({ ...c, mute: false })));
    await again.getByRole("tab", { name: "History" }).click();
    // The latest steps, and on demand all of them.
    const steps = again.getByRole("list", { name: "History, newest first" }).getByRole("listitem");
    await expect(steps).toHaveCount(101);
    await again.getByRole("button", { name: `${CUTS + 3 - 100} earlier steps` }).click();
    await expect(steps).toHaveCount(CUTS + 4);
  } finally {
    await context.close();
    await own.stop();
  }
});
