import { api } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

test("scene 21, gallery cut and short cut: a version from this one, two sections out, flipped while playing, compared, the bells brought over; the first as it was left", async ({
  page,
}) => {
  test.setTimeout(120_000);
  const demo = await aDemo("Gallery and short");
  const editor = await EditorPage.open(page, demo, {});
  const before = await editor.version();
  const menu = page.getByRole("button", { name: /^Version:/ });

  // A copy under a name; it opens at once.
  await menu.click();
  await page.getByLabel("Name of the new version").fill("Short cut");
  await page.getByRole("button", { name: "From this one" }).click();
  await expect(menu).toHaveText(/Short cut/);
  const { body: project } = await api("GET", `/api/projects/${demo.projectId}`);
  const short = project.versions.find((v: { name: string }) => v.name === "Short cut").id as string;
  const there = async () => (await api("GET", `/api/versions/${short}`)).body;
  expect((await there()).clips).toHaveLength(before.clips.length);

  // The bells are taken out of it.
  const bells = before.clips.filter((c) => c.trackId === "bells");
  await editor.select(bells[0].id);
  await page.keyboard.press("Shift+a");
  await page.keyboard.press("Control+Delete");
  await expect.poll(async () => (await there()).clips.length).toBeLessThan(before.clips.length);
  const out = before.clips.length - (await there()).clips.length;

  // Flipped while it plays: it goes on playing at the same bar.
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await page.keyboard.press("Alt+k");
  await expect(menu).toHaveText(/Gallery cut/);
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await page.keyboard.press("Space");
  expect((await editor.version()).clips).toHaveLength(before.clips.length);

  // Back by key, compared: what is only there is listed, and brought over again.
  await page.keyboard.press("Alt+j");
  await expect(menu).toHaveText(/Short cut/);
  await page.keyboard.press("Alt+c");
  await expect(page.getByTestId("compare-count")).toContainText(`${out} clip`);
  await expect(page.getByText("only there").first()).toBeVisible();
  // Drawn over the lanes too, and heard to and fro by one key, where it is the other way round.
  const drawn = (): Promise<boolean> =>
    page.getByTestId("compare-marks").evaluate((c: HTMLCanvasElement) => {
      const g = c.getContext("2d") as CanvasRenderingContext2D;
      return g.getImageData(0, 0, c.width, c.height).data.some((v) => v > 0);
    });
  await expect.poll(drawn).toBe(true);
  await page.keyboard.press("Alt+k");
  await expect(menu).toHaveText(/Gallery cut/);
  await expect(page.getByTestId("compare-count")).toContainText(`${out} clip`);
  await expect(page.getByText("only here").first()).toBeVisible();
  await expect.poll(drawn).toBe(true);
  await page.keyboard.press("Alt+k");
  await expect(menu).toHaveText(/Short cut/);
  await expect(page.getByText("only there").first()).toBeVisible();
  const boxes = page.getByRole("checkbox", { name: /^Bring/ });
  for (let i = 0; i < (await boxes.count()); i++) await boxes.nth(i).check();
  await page.getByRole("button", { name: "Bring over" }).click();
  await expect.poll(async () => (await there()).clips.length).toBe(before.clips.length);
  await expect(page.getByTestId("compare-count")).toContainText(/different/);
  await page.keyboard.press("Escape");

  // The first is as it was left.
  expect(await editor.version()).toEqual(before);

  // Renamed, deleted, put back.
  await menu.click();
  await page.getByRole("button", { name: "Rename Short cut" }).click();
  await page.getByLabel("Name of the version").fill("Shorter cut");
  await page.keyboard.press("Enter");
  await expect(menu).toHaveText(/Shorter cut/);
  await page.getByRole("button", { name: "Delete Shorter cut" }).click();
  await expect(menu).toHaveText(/Gallery cut/);
  await page.getByRole("button", { name: "Put back" }).click();
  await menu.click();
  await expect(page.getByRole("button", { name: "Rename Shorter cut" })).toBeVisible();
});

test("the server away, what is different in another version is not known, and said so; once it is back it is told", async ({ page }) => {
  const demo = await aDemo("Compared while away");
  const editor = await EditorPage.open(page, demo, {});
  const [take] = await editor.lane("guide");
  expect((await api("POST", `/api/projects/${demo.projectId}/versions`, { name: "Short cut", from: demo.versionId })).status).toBe(201);
  await editor.show(take.start, take.start + take.length);
  await editor.select(take.id);
  await page.route(/\/edits$/, (route) => route.abort());
  await page.keyboard.press(".");
  await expect(page.getByTestId("save-state")).toHaveAttribute("data-save", "waiting");
  await page.keyboard.press("Control+k");
  await page.keyboard.type("compare");
  await page.keyboard.press("Enter");
  const told = page.getByTestId("compare-count");
  await expect(told).toHaveText(/^What is different is not known\. The server is away and has not got your last step yet\./);
  await page.unroute(/\/edits$/);
  await expect(told).toContainText("1 clip is different");
});
