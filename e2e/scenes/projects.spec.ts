import { readFileSync } from "node:fs";
import { createDemo } from "../../demo/create";
import { api, BASE } from "../client";
import { expect, test } from "../scene";

/** The tests may run again on the same database. */
const RUN = String(Date.now());

test("many projects: drawn as one comes to them, found by name; a name of 200 letters keeps its place", async ({ page }) => {
  const made = async (name: string): Promise<void> => {
    expect((await api("POST", "/api/projects", { name, sampleRate: 48_000 })).status).toBe(201);
  };
  await made(`The first of many ${RUN}`);
  for (let i = 0; i < 90; i++) await made(`One of many ${RUN} ${i}`);
  await made("W".repeat(187) + RUN);
  await page.goto("/");
  await expect(page.getByRole("link", { name: new RegExp(`^W{187}${RUN}`) })).toBeVisible();
  const form = await page.getByRole("region", { name: "New project" }).boundingBox();
  expect((form?.x ?? 0) + (form?.width ?? 0)).toBeLessThanOrEqual(page.viewportSize()?.width ?? 0);

  const first = page.getByRole("link", { name: new RegExp(`^The first of many ${RUN}`) });
  await expect(first).toHaveCount(0);
  await expect(async () => {
    await page.mouse.wheel(0, 5000);
    await expect(first).toBeVisible({ timeout: 200 });
  }).toPass();

  await page.getByRole("searchbox", { name: "Find a project" }).fill(`of many ${RUN} 8`);
  await expect(page.getByRole("link", { name: new RegExp(`^One of many ${RUN}`) })).toHaveCount(11);
  await page.getByRole("searchbox", { name: "Find a project" }).fill("no such thing");
  await expect(page.getByText("No project has “no such thing” in its name.")).toBeVisible();
});

test("a project is renamed, copied, removed and put back; sorted by name and size; it has a picture of itself", async ({ page }) => {
  const demo = await createDemo(BASE, `Zeta mill ${RUN}`);
  await page.goto("/");
  const card = (name: string) => page.getByRole("listitem").filter({ has: page.getByText(name, { exact: true }) });
  await expect(card(`Zeta mill ${RUN}`).locator("rect").first()).toBeVisible();
  await page.getByRole("button", { name: `Rename Zeta mill ${RUN}` }).click();
  await page.getByRole("textbox", { name: "Name of the project" }).fill(`Alpha mill ${RUN}`);
  await page.keyboard.press("Enter");
  await expect(card(`Alpha mill ${RUN}`)).toBeVisible();
  await page.getByRole("button", { name: `Copy Alpha mill ${RUN}` }).click();
  await expect(card(`Alpha mill ${RUN}, copy`)).toBeVisible();
  await page.getByRole("radio", { name: "Size" }).click();
  await expect(page.getByRole("listitem").first()).not.toContainText("recordings shared");
  await page.getByRole("button", { name: `Remove Alpha mill ${RUN}`, exact: true }).click();
  await expect(card(`Alpha mill ${RUN}`)).toHaveCount(0);
  expect((await api("GET", `/api/projects/${demo.projectId}`)).status).toBe(410);
  await page.getByRole("button", { name: "Put back" }).first().click();
  await expect(card(`Alpha mill ${RUN}`)).toBeVisible();
});

test("a project is begun with recordings, laid one after another", async ({ page }) => {
  await page.goto("/");
  const file = readFileSync(new URL("../../demo/speech/bell.wav", import.meta.url));
  await page.getByLabel("Recordings to begin with").setInputFiles([
    { name: "bell.wav", mimeType: "audio/wav", buffer: file },
    { name: "bell again.wav", mimeType: "audio/wav", buffer: file },
  ]);
  await page.getByRole("button", { name: /One after another/ }).click();
  await expect.poll(async () => (await api("GET", `/api/projects/${page.url().split("/p/")[1]?.split(/[?#]/)[0]}`)).body.sources?.length).toBe(2);
  const id = page.url().split("/p/")[1].split(/[?#]/)[0];
  const { versions } = (await api("GET", `/api/projects/${id}`)).body;
  await expect.poll(async () => (await api("GET", `/api/versions/${versions[0].id}`)).body.clips.length).toBe(2);
  const { clips } = (await api("GET", `/api/versions/${versions[0].id}`)).body;
  expect(new Set(clips.map((c: { trackId: string }) => c.trackId)).size).toBe(1);
});

test("a project without a tempo has minutes and seconds, and no bars until a tempo is laid", async ({ page }) => {
  await page.goto("/");
  const form = page.getByRole("region", { name: "New project" });
  await form.getByLabel("Name").fill("A talk");
  await form.getByRole("radio", { name: "None" }).click();
  await form.getByRole("button", { name: "Create project" }).click();
  const line = page.getByTestId("mode-line");
  await expect(line).toBeVisible();
  await expect(page.getByText("Bars and beats")).toHaveCount(0);
  await expect(page.getByText("Tempo and meter")).toHaveCount(0);
  await expect(page.getByText("Minutes and seconds")).toBeVisible();
  await expect(line).not.toContainText("bar");
  await expect(page.getByText("4/4")).toBeHidden();
  const id = page.url().split("/p/")[1].split(/[?#]/)[0];
  const [{ id: version }] = (await api("GET", `/api/projects/${id}`)).body.versions;
  await api("POST", `/api/versions/${version}/edits`, { revision: 0, edits: [{ type: "set-time", tempo: [{ tick: 0, bpm: 92 }] }] });
  await expect(page.getByText("Bars and beats")).toBeVisible();
  await expect(page.getByText("92.00")).toBeVisible();
  // It stays so for whoever comes next.
  await expect.poll(async () => (await api("GET", `/api/projects/${id}`)).body.versions[0].modes?.family).toBe("musical");
});
