import { addSource, api, newProject, wavFile } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";
import { RATE } from "../small";

const MS = RATE / 1000;

test("hits are drawn to the grid by cutting: read off first, done by Enter, each nearer to its line, taken back in one step", async ({ page }) => {
  const demo = await aDemo("Tighten");
  const editor = await EditorPage.open(page, demo, { snapOn: false, followsZoom: false, step: { kind: "bar", count: 1 } });
  const before = await editor.lane("treadle");
  const [bed] = before;
  const { transients } = (await api("GET", `/api/sources/${bed.sourceId}`)).body as { transients: number[] };
  const hits = transients.filter((t) => t >= bed.offset && t < bed.offset + bed.length);
  await editor.show(bed.start, bed.start + 12 * RATE);
  await editor.select(bed.id);
  await page.keyboard.press("Alt+g");

  // A grid of whole bars is coarser than anyone plays: sixteenths are offered, and said.
  const panel = page.getByRole("dialog", { name: "Tighten" });
  await expect(panel.getByRole("button", { name: "1/16", exact: true })).toHaveAttribute("aria-pressed", "true");
  await expect(panel.getByTestId("tighten-count")).toContainText(`of ${hits.length} hits move`);
  await expect(panel.getByRole("img", { name: /^Chart: offsets of/ })).toBeVisible();
  const moving = Number((await panel.getByTestId("tighten-count").textContent())?.split(" ")[0]);
  expect(moving).toBeGreaterThan(4);

  const figures = (await panel.getByTestId("tighten-figures").textContent()) ?? "";
  const [, spread, , left] = [...figures.matchAll(/\d+\.\d/g)].map(Number);
  expect(left).toBeLessThan(spread);

  // The key confirms, wherever the panel put the focus; every hit that moved begins a piece, its lead before it.
  await page.keyboard.press("Enter");
  await editor.saved();
  await expect(panel).toHaveCount(0);
  const pieces = await editor.lane("treadle");
  const moved = pieces.filter((p) => {
    // A blend ends where the cut is.
    const cut = p.offset + (p.blend ? p.fadeIn.length : 0);
    return p.sourceId === bed.sourceId && hits.includes(cut + 4 * MS) && p.start - bed.start !== p.offset - bed.offset;
  });
  // Neighbours that move by the same amount stay in one piece.
  expect(moved.length).toBeGreaterThan(moving / 2);
  const { steps } = (await api("GET", `/api/versions/${demo.versionId}/history`)).body as { steps: { name: string }[] };
  expect(steps.at(-1)?.name).toBe(`Tighten ${moving} hits to 1/16`);

  // One step takes it all back, and does it again.
  await page.keyboard.press("Control+z");
  await editor.saved();
  await expect.poll(() => editor.lane("treadle")).toEqual(before);
  await page.keyboard.press("Control+Shift+z");
  await expect.poll(() => editor.lane("treadle")).toEqual(pieces);
});

test("the feel of one loom is kept under a name and laid on the other; it is undone as one step, and forgotten", async ({ page }) => {
  const demo = await aDemo("Feel");
  const editor = await EditorPage.open(page, demo, { snapOn: false, followsZoom: false, step: { kind: "note", division: 8, feel: "straight" } });
  const [shuttle] = await editor.lane("shuttle");
  const treadle = await editor.lane("treadle");
  await editor.select(shuttle.id);
  await page.keyboard.press("Alt+g");
  const panel = page.getByRole("dialog", { name: "Tighten" });
  await panel.getByRole("button", { name: "Keep …" }).click();
  await panel.getByLabel("Name of the feel").fill("Old shuttle");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/^Kept the feel of Old shuttle: 8 lines a bar, in ticks: /)).toBeVisible();
  // Its Enter kept the feel, and tightened nothing.
  await expect(panel).toBeVisible();
  await page.keyboard.press("Escape");
  expect(await editor.lane("shuttle")).toContainEqual(shuttle);

  // The server has it, for whoever opens any project in any browser.
  const { body } = await api<{ feels: { id: string; name: string; offsets: number[] }[] }>("GET", "/api/feels");
  expect(body.feels).toEqual([expect.objectContaining({ name: "Old shuttle", offsets: expect.arrayContaining([expect.any(Number)]) })]);
  await page.evaluate(() => localStorage.clear());
  await page.reload();
  await editor.settle();

  await editor.select(treadle[0].id);
  await page.keyboard.press("Alt+g");
  const figures = panel.getByTestId("tighten-figures");
  const even = await figures.textContent();
  await panel.getByLabel("Feel", { exact: true }).selectOption("Old shuttle");
  await expect(figures).not.toHaveText(even as string);
  await expect(panel.getByLabel("Swing")).toHaveCount(0);
  await panel.getByRole("button", { name: "Tighten" }).click();
  await editor.saved();
  await expect(panel).toHaveCount(0);
  expect((await editor.lane("treadle")).length).toBeGreaterThan(treadle.length);
  await page.keyboard.press("Control+z");
  await expect.poll(() => editor.lane("treadle")).toEqual(treadle);
  // While the server does not say what the feel is, nothing is tightened to even lines in its place.
  await page.route("**/api/feels", (r) => r.abort());
  await page.keyboard.press("Alt+g");
  await expect(panel.getByText("The feel “Old shuttle” is not there yet")).toBeVisible();
  await expect(panel.getByRole("button", { name: "Tighten" })).toBeDisabled();
  await expect(panel.getByLabel("Feel", { exact: true })).toHaveValue("Old shuttle");
  await page.keyboard.press("Escape");
  await page.unroute("**/api/feels");
  await page.keyboard.press("Alt+g");
  await panel.getByRole("button", { name: "Forget" }).click();
  await expect(panel.getByLabel("Feel", { exact: true }).locator("option")).toHaveCount(1);
  expect((await api<{ feels: object[] }>("GET", "/api/feels")).body.feels).toEqual([]);
});

test("a splice settles to where both sides are alike: said in figures, blended, the click gone; again, it stays and says why", async ({ page }) => {
  const project = await newProject();
  // A held note, cut where its wave does not go on.
  const tone = Float32Array.from(
    { length: 6 * RATE },
    (_, i) => 0.4 * Math.sin((2 * Math.PI * 220 * i) / RATE) + 0.1 * Math.sin((2 * Math.PI * 331 * i) / RATE),
  );
  const { id: sourceId } = await addSource(project.projectId, wavFile([tone]), "Note.wav");
  const clip = (id: string, start: number, offset: number) => ({ type: "add-clip", id, trackId: "t", sourceId, start, offset, length: RATE });
  await api("POST", `/api/versions/${project.versionId}/edits`, {
    revision: 0,
    edits: [{ type: "add-track", id: "t", name: "Note" }, clip("a", RATE, RATE), clip("b", 2 * RATE, 3 * RATE + 117)],
  });
  const editor = await EditorPage.open(page, project, { snapOn: false, settle: { reachMs: 20, shifts: true } });
  await editor.show(0, 4 * RATE);
  const click = async () =>
    (
      (await api("GET", `/api/versions/${project.versionId}/seams`)).body.seams as {
        left: string | null;
        right: string | null;
        click: number | null;
      }[]
    ).find((s) => s.left === "a" && s.right === "b")?.click;
  expect(await click()).toBeGreaterThan(-40);
  const { height } = (await editor.version()).tracks[0] as { height: number };
  const rail = await editor.at(2 * RATE, "t", height - 8);
  await page.mouse.click(rail.x, rail.y);
  await expect(page.getByTestId("seam-class")).toHaveText("raw");
  await expect(page.getByTestId("settle-foretold")).toHaveText(/^would .*: alike −?[01]\.\d+ → (0\.9\d|1\.00), click −\d+ dB → none, level /);
  await page.keyboard.press("Alt+s");
  const said = page.getByText(/^Alike /);
  await expect(said).toBeVisible();
  expect(await said.textContent()).toMatch(/^Alike −?[01]\.\d+ → (0\.9\d|1\.00), click −\d+ dB → none$/);
  await editor.saved();
  expect(await click()).toBeNull();
  await expect(page.getByTestId("seam-class")).toHaveText("blended");
  const { revision } = await editor.version();
  await page.keyboard.press("Alt+s");
  await expect(page.getByText(/^The seam stays where it is: /)).toBeVisible();
  expect((await editor.version()).revision).toBe(revision);
});

test("many splices: what settling would make of each is read off first, those that stay say why, and it is one step", async ({ page }) => {
  const project = await newProject();
  const tone = Float32Array.from({ length: 8 * RATE }, (_, i) => 0.4 * Math.sin((2 * Math.PI * 220 * i) / RATE));
  const { id: sourceId } = await addSource(project.projectId, wavFile([tone]), "Note.wav");
  const clip = (id: string, start: number, offset: number) => ({ type: "add-clip", id, trackId: "t", sourceId, start, offset, length: RATE });
  await api("POST", `/api/versions/${project.versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "t", name: "Note" },
      clip("a", RATE, RATE),
      clip("b", 2 * RATE, 3 * RATE + 117),
      clip("c", 3 * RATE, 5 * RATE + 39),
      // The last one has no material left behind its end.
      { ...clip("d", 5 * RATE, 0), length: 1000 },
    ],
  });
  const editor = await EditorPage.open(page, project, { snapOn: false, settle: { reachMs: 5, shifts: true } });
  const before = await editor.version();
  await page.keyboard.press("Shift+y");
  await page.getByRole("button", { name: /^Settle \d+ …$/ }).click();
  const panel = page.getByRole("dialog", { name: "Settle" });
  await expect(panel.getByTestId("settle-count")).toHaveText(/^2 would settle, \d+ stay$/);
  await expect(panel.getByRole("row").filter({ hasText: /→ (0\.99|1\.00)/ })).toHaveCount(2);
  await expect(panel.getByText(/^stays: it is no joint of two clips$/).first()).toBeVisible();
  await panel.getByRole("button", { name: "Settle 2" }).click();
  await editor.saved();
  await expect(panel).toHaveCount(0);
  const after = await editor.version();
  expect(after.clips.filter((c) => c.blend).map((c) => c.id)).toEqual(["b", "c"]);
  await page.keyboard.press("Control+z");
  await editor.saved();
  expect((await editor.version()).clips).toEqual(before.clips);
});
