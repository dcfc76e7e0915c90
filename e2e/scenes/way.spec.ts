import fs from "node:fs";
import path from "node:path";
import { addSource, api, newProject, noise, wavFile } from "../client";
import { EditorPage } from "../editor";
import { expect, type Page, test } from "../scene";

// The way of a step from the hand to the server, on a line that is slow.

const RATE = 48_000;

/** Lets every request that changes something wait. Returns what lets them go at once from then on. */
async function slowed(page: Page, ms: number): Promise<() => void> {
  let wait = ms;
  await page.route("**/api/**", async (route) => {
    if (route.request().method() !== "GET") await new Promise((wake) => setTimeout(wake, wait));
    await route.continue();
  });
  return () => {
    wait = 0;
  };
}

async function piece() {
  const { projectId, versionId } = await newProject();
  const source = await addSource(projectId, wavFile([noise(RATE * 4, 5)], "i16"), "Loom.wav");
  const edits = [
    { type: "add-track", id: "t", name: "Loom" },
    { type: "add-clip", id: "c", trackId: "t", sourceId: source.id, start: RATE },
  ];
  await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits });
  return { projectId, versionId };
}

test("keys pressed without a pause on a slow line: undone and done in their order, shown at once, nothing overtaken", async ({ page }) => {
  const made = await piece();
  const editor = await EditorPage.open(page, made, { nudge: { kind: "step", step: { kind: "time", milliseconds: 100 } } });
  await editor.select("c");
  const free = await slowed(page, 700);
  const { keyboard } = page;
  await keyboard.press("u");
  await keyboard.press("Control+z");
  await keyboard.press("Control+Shift+z");
  await keyboard.press("Control+z");
  await keyboard.press(".");
  await expect(page.getByTestId("save-state")).toHaveText("Saving …");
  free();
  await editor.saved();
  const clip = await editor.clip("c");
  expect([clip.mute, clip.start]).toEqual([false, RATE + 4800]);
  const { body } = await api("GET", `/api/versions/${made.versionId}/steps?after=1`);
  expect(body.steps.map((s: { kind: string }) => s.kind)).toEqual(["edit", "undo", "redo", "undo", "edit"]);
  await expect(page.getByText("came from elsewhere")).toHaveCount(0);
});

test("left for the list of projects in the midst of saving: each step is sent, and there when it is opened again", async ({ page }) => {
  const made = await piece();
  const editor = await EditorPage.open(page, made, { nudge: { kind: "step", step: { kind: "time", milliseconds: 100 } } });
  await editor.select("c");
  const free = await slowed(page, 600);
  // A pause longer than a run lasts makes each a step of its own on the way; they are one for undo.
  for (let i = 0; i < 5; i++) await page.keyboard.press(".");
  await page.keyboard.press("u");
  await page.getByRole("link", { name: "All projects" }).click();
  await expect(page.getByRole("heading", { name: "Projects", exact: true })).toBeVisible();
  free();
  await expect
    .poll(async () => (await api("GET", `/api/versions/${made.versionId}`)).body.clips[0], { timeout: 20_000 })
    .toMatchObject({ start: RATE + 5 * 4800, mute: true });
  await page.goBack();
  await editor.saved();
  expect((await editor.clip("c")).start).toBe(RATE + 5 * 4800);
});

test("a file lies in the version for which it was chosen; a question that was pressed away is asked again", async ({ page }, info) => {
  const made = await piece();
  const { body: other } = await api("POST", `/api/projects/${made.projectId}/versions`, { name: "Short cut", from: made.versionId });
  const editor = await EditorPage.open(page, made, {});
  const files = ["One.wav", "Two.wav"].map((name, k) => {
    const file = path.join(info.outputDir, name);
    fs.mkdirSync(info.outputDir, { recursive: true });
    fs.writeFileSync(file, wavFile([noise(RATE, 20 + k)], "i16"));
    return file;
  });
  const choose = async (list: string[]): Promise<void> => {
    const asked = page.waitForEvent("filechooser", { timeout: 10_000 });
    // Before the key comes, the browser knows that its dialog is answered from here.
    await editor.settle();
    await page.keyboard.press("Control+o");
    await (await asked).setFiles(list);
  };
  const free = await slowed(page, 1500);
  await choose(files.slice(0, 1));
  await page.keyboard.press("Alt+j");
  await expect(page.getByRole("button", { name: /Short cut/ }).first()).toBeVisible();
  free();
  await expect(page.getByText("One was laid in", { exact: false })).toBeVisible({ timeout: 20_000 });
  await expect.poll(async () => (await editor.version()).clips.length).toBe(2);
  expect((await api("GET", `/api/versions/${other.id}`)).body.clips).toHaveLength(1);

  await choose(files);
  await expect(page.getByRole("dialog")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByText("2 files were left out: nothing was taken in.")).toBeVisible();
  await page.getByRole("button", { name: "Ask again" }).click();
  await page.getByRole("button", { name: /One below another/ }).click();
  await expect.poll(async () => (await api("GET", `/api/versions/${other.id}`)).body.clips.length, { timeout: 20_000 }).toBe(3);
});
