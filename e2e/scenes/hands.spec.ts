import { clipEnd } from "@wet-thread/core/model/schema";
import { api, newProject } from "../client";
import { EditorPage } from "../editor";
import { expect, test } from "../scene";
import { RATE, small } from "../small";

/** Where the playhead stands, in samples. */
async function playheadAt(editor: EditorPage): Promise<number> {
  const { box, start, per } = await editor.view();
  const line = await editor.page.getByTestId("playhead").boundingBox();
  return start + ((line?.x ?? 0) - box.x) * per;
}

test("a narrow window: the inspector lies over the lanes, by key, tab and menu; the mode line is whole", async ({ page }) => {
  for (const [width, height] of [
    [1024, 768],
    [768, 1024],
  ]) {
    await page.setViewportSize({ width, height });
    const editor = await small(page);
    const inspector = page.getByRole("complementary", { name: "Inspector" });
    await expect(inspector).toHaveCount(0);
    const before = await editor.view();
    await page.getByRole("button", { name: "Show the inspector" }).click();
    await expect(inspector).toBeVisible();
    // It takes no room from the lanes.
    expect((await editor.view()).box.width).toBe(before.box.width);
    await page.keyboard.press("Shift+I");
    await expect(inspector).toHaveCount(0);
    await editor.select("a");
    await page.keyboard.press("Alt+i");
    await expect(inspector).toBeVisible();
    await page.keyboard.press("Shift+I");
    // Every word of the sentence is on the screen.
    for (const word of await page.getByTestId("mode-line").getByRole("button").all()) {
      const box = await word.boundingBox();
      expect(box && box.x >= 0 && box.x + box.width <= width).toBe(true);
    }
  }
});

test("a range is seen in the inspector: typed, its tracks chosen, and worked on", async ({ page }) => {
  const editor = await small(page);
  await editor.range(1.2 * RATE, 1.6 * RATE, "t1", "t2");
  const inspector = page.getByRole("complementary", { name: "Inspector" });
  await expect(inspector.getByRole("region", { name: "Range" })).toBeVisible();
  const start = inspector.getByLabel("Start of the range");
  await start.fill("0:01.25");
  await start.press("Enter");
  const length = inspector.getByLabel("Length of the range");
  await length.fill("500 ms");
  await length.press("Enter");
  await inspector.getByRole("button", { name: "Two", exact: true }).click();
  await expect(page.getByTestId("selection")).toContainText("1 track");
  await inspector.getByRole("button", { name: "Silence" }).click();
  await editor.saved();
  const lane = await editor.lane("t1");
  expect(lane.slice(0, 2).map((c) => [c.start, clipEnd(c)])).toEqual([
    [RATE, 1.25 * RATE],
    [1.75 * RATE, 2 * RATE],
  ]);
  expect(await editor.lane("t2")).toHaveLength(2);
  // The loop from clips, the range from the loop.
  await page.keyboard.press("Escape");
  await editor.select("b");
  await page.keyboard.press("l");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Alt+b");
  await editor.saved();
  expect((await editor.version()).loop).toMatchObject({ start: 2.5 * RATE, end: 3.5 * RATE });
  await expect(page.getByTestId("selection")).toContainText("Range");
});

test("what was selected last is what keys act on; a row of nudges is one step", async ({ page }) => {
  const editor = await small(page, { nudge: { kind: "step", step: { kind: "time", milliseconds: 10 } } });
  await page.keyboard.press("Home");
  await page.keyboard.press("m");
  await page.keyboard.press("Escape");
  await editor.select("b");
  for (let i = 0; i < 5; i++) await page.keyboard.press(".");
  await editor.saved();
  expect((await editor.version()).markers[0].position).toBe(0);
  expect((await editor.clip("b")).start).toBe(2.5 * RATE + 5 * 480);
  await page.getByRole("tab", { name: "History" }).click();
  await expect(page.getByRole("list", { name: "History, newest first" }).getByRole("listitem").first()).toContainText("5 times");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.clip("b")).start).toBe(2.5 * RATE);
  await page.keyboard.press("Control+Shift+z");
  await expect.poll(async () => (await editor.clip("b")).start).toBe(2.5 * RATE + 5 * 480);
});

test("several tracks at once: chosen by Ctrl, Shift and a sweep, linked, muted and moved together", async ({ page }) => {
  const editor = await small(page);
  const head = async (id: string) => {
    const box = await page.locator(`[data-track=${id}]`).boundingBox();
    if (!box) throw new Error(id);
    return box;
  };
  const [one, three] = [await head("t1"), await head("t3")];
  await editor.drag({ x: one.x + 3, y: one.y + 40 }, { x: one.x + 3, y: three.y + 40 });
  await expect(page.getByTestId("selection")).toContainText("3 tracks chosen");
  await page.keyboard.down("Control");
  await page.mouse.click(three.x + 60, three.y + three.height - 14);
  await page.keyboard.up("Control");
  await expect(page.getByTestId("selection")).toContainText("2 tracks chosen");
  await page.keyboard.press("Alt+l");
  await editor.saved();
  const links = (await editor.version()).tracks.map((t) => t.link);
  expect(links[0]).toBeTruthy();
  expect(links).toEqual([links[0], links[0], null]);
  await page.keyboard.press("Alt+u");
  await editor.saved();
  expect((await editor.version()).tracks.map((t) => t.mute)).toEqual([true, true, false]);
  await editor.drag({ x: one.x + 40, y: one.y + one.height - 12 }, { x: one.x + 40, y: three.y + three.height + 20 });
  await editor.saved();
  expect((await editor.version()).tracks.map((t) => t.id)).toEqual(["t3", "t1", "t2"]);
  // A name is typed after a double click; Escape leaves it.
  await page.getByLabel("Name of track One").dblclick();
  await page.getByLabel("Name of track One").fill("Other");
  await page.keyboard.press("Escape");
  await editor.settle();
  expect((await editor.version()).tracks[1].name).toBe("One");
});

test("the clip's page folds: what is set is open, what was folded by hand stays so; with nothing selected the piece is told", async ({ page }) => {
  const editor = await small(page, { edgeFadeMs: 0 });
  const inspector = page.getByRole("complementary", { name: "Inspector" });
  await expect(inspector.getByRole("region", { name: "The piece" })).toContainText("5 clips");
  await expect(inspector.getByRole("region", { name: "The piece" })).toContainText("10, 10 of them raw");
  await editor.select("a");
  const fold = (name: string) => inspector.getByRole("region", { name, exact: true }).getByRole("button").first();
  const open = async () =>
    Object.fromEntries(
      await Promise.all(
        ["Place", "Level", "Fades", "Stretch", "Treatment"].map(async (name) => [name, (await fold(name).getAttribute("aria-expanded")) === "true"]),
      ),
    );
  expect(await open()).toEqual({ Place: true, Level: true, Fades: false, Stretch: false, Treatment: false });
  await expect(fold("Fades")).toContainText("in 0.0 · out 0.0 ms");
  await expect(fold("Stretch")).toContainText("100.0 %");
  // A fade and a treatment open theirs; the level is folded by hand, and says what it is.
  await api("POST", `/api/versions/${editor.versionId}/edits`, {
    revision: (await editor.version()).revision,
    edits: [
      { type: "set-fade", clipIds: ["a"], edge: "in", length: 480 },
      { type: "set-gain", clipIds: ["a"], gain: -3 },
      { type: "treat", clipIds: ["a"], chain: [{ kind: "invert", on: true }] },
    ],
  });
  await expect(fold("Treatment")).toHaveAttribute("aria-expanded", "true");
  await fold("Level").press("Enter");
  expect(await open()).toEqual({ Place: true, Level: false, Fades: true, Stretch: false, Treatment: true });
  await expect(fold("Level")).toContainText("−3.0 dB · middle");
  await editor.select("b");
  expect(await open()).toEqual({ Place: true, Level: false, Fades: false, Stretch: false, Treatment: false });
});

test("the seam just made is the one that is meant: after a split, and after what was deleted is closed; J walks on from it, a typed position comes first", async ({
  page,
}) => {
  const editor = await small(page, { edgeFadeMs: 0, snapOn: false });
  // Split in the middle: the joint is blended by its key, with nothing chosen.
  await page.keyboard.press("Shift+o");
  await page.keyboard.type("1.5 s");
  await page.keyboard.press("Enter");
  await editor.select("a");
  await page.keyboard.press("/");
  await editor.saved();
  const halves = (await editor.lane("t1")).filter((c) => c.name.startsWith("a"));
  expect(halves.map((c) => c.start)).toEqual([RATE, 1.5 * RATE]);
  await page.keyboard.press("c");
  await editor.saved();
  const blended = (await editor.lane("t1")).filter((c) => c.blend);
  expect(blended.map((c) => c.blend?.splice)).toEqual([1.5 * RATE]);
  // J goes to the seam after it, and not to the one after the playhead or the start.
  await page.keyboard.press("j");
  await expect(page.getByTestId("selection")).toContainText("Seam at");
  expect(Math.abs((await playheadAt(editor)) - 2 * RATE)).toBeLessThan(await editor.samplesPerPixel());
  // Somewhere else the playhead counts again: typed in any unit.
  await page.keyboard.press("Escape");
  await page.keyboard.press("Shift+o");
  await page.keyboard.type("3.9 s");
  await page.keyboard.press("Enter");
  await page.keyboard.press("j");
  expect(Math.abs((await playheadAt(editor)) - 4 * RATE)).toBeLessThan(await editor.samplesPerPixel());
  // What closes over a hole makes a seam, which can be smoothed and settled at once.
  await editor.select("b");
  await page.keyboard.press("Shift+Delete");
  await editor.saved();
  await page.keyboard.press("y");
  await editor.saved();
  const [last] = (await editor.lane("t1")).slice(-1);
  expect(last.blend ?? last.fadeIn.length).toBeTruthy();
});

test("nudges: a chosen section goes as a whole; sound inside a range counts up and is one step; with one clip selected the gap behind it closes", async ({
  page,
}) => {
  const editor = await small(page, { edgeFadeMs: 0, snapOn: false, overlaps: "layer" });
  await api("POST", `/api/versions/${editor.versionId}/edits`, {
    revision: (await editor.version()).revision,
    edits: [{ type: "add-section", id: "verse", name: "Verse", start: RATE, end: 3 * RATE }],
  });
  // Its menu chooses it.
  await page.getByText("Verse").click({ button: "right" });
  await page.keyboard.press("Escape");
  await expect(page.getByTestId("selection")).toContainText("Section Verse");
  for (let i = 0; i < 3; i++) await page.keyboard.press(".");
  await editor.saved();
  expect((await editor.version()).sections.map((s) => [s.start, s.end])).toEqual([[1.03 * RATE, 3.03 * RATE]]);
  await expect(page.getByText("+30.0 ms in all")).toBeVisible();
  await page.keyboard.press("Control+z");
  await editor.saved();
  expect((await editor.version()).sections.map((s) => s.start)).toEqual([RATE]);

  // Inside a range: its bounds stay, what was said last is the sum, and one undo takes all of it back.
  await page.keyboard.press("Escape");
  await page.keyboard.press("r");
  await editor.drag(await editor.at(2.7 * RATE, "t1", 60), await editor.at(3.1 * RATE, "t1", 60));
  const before = await editor.version();
  for (let i = 0; i < 4; i++) await page.keyboard.press(">");
  await expect(page.getByText("+40.0 ms in all")).toBeVisible();
  await editor.saved();
  const inside = (await editor.lane("t1")).find((c) => c.name.startsWith("b") && c.start > 2.6 * RATE && c.length < RATE / 2);
  expect(inside && inside.offset - (5 * RATE + inside.start - 2.5 * RATE)).toBe(-0.04 * RATE);
  await page.keyboard.press("Control+z");
  await editor.saved();
  expect((await editor.version()).clips).toEqual(before.clips);

  // A track that is chosen while clips are selected elsewhere is the one that is meant, and the status line says both.
  await page.keyboard.press("p");
  await page.keyboard.press("Escape");
  await editor.select("c");
  await page.keyboard.press("Alt+ArrowDown");
  await expect(page.getByTestId("selection")).toContainText("1 clip, c");
  await expect(page.getByTestId("selection")).toContainText("track Two");
  await page.keyboard.press("a");
  await expect(page.getByTestId("selection")).toContainText("2 clips");

  // One clip: what follows it is pulled up to it, and nothing else.
  await page.keyboard.press("p");
  await page.keyboard.press("Escape");
  await editor.select("a");
  await page.keyboard.press("Control+Shift+g");
  await editor.saved();
  expect((await editor.lane("t1")).map((c) => c.blend?.splice ?? c.start)).toEqual([RATE, 2 * RATE, 3.5 * RATE]);
});

test("on a wide page the tools say their names, in groups; a sweep over heads selects no words", async ({ page }) => {
  await page.setViewportSize({ width: 1500, height: 900 });
  const editor = await small(page);
  const tools = page.getByRole("navigation", { name: "Tools" });
  await expect(tools.getByRole("group", { name: "Edit" }).getByText("Shift inside")).toBeVisible();
  await tools.getByRole("button", { name: "Split", exact: true }).click();
  await expect(tools.getByRole("button", { name: "Split", exact: true })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("p");
  // Off by the setting, and below that width by itself.
  await page.setViewportSize({ width: 1280, height: 800 });
  await expect(tools.getByText("Shift inside")).toBeHidden();
  await page.setViewportSize({ width: 1500, height: 900 });
  await page.keyboard.press("Control+k");
  await page.keyboard.type("names beside");
  await page.keyboard.press("Enter");
  await expect(tools.getByText("Shift inside")).toBeHidden();
  // Twice over the switches of the heads, down and up again.
  const [a, b] = [
    await page.getByLabel("Mute One", { exact: true }).boundingBox(),
    await page.getByLabel("Mute Three", { exact: true }).boundingBox(),
  ];
  if (!a || !b) throw new Error("no heads");
  for (const muted of [true, false]) {
    await editor.drag({ x: a.x + 8, y: a.y + 8 }, { x: b.x + 8, y: b.y + 8 });
    await editor.saved();
    expect((await editor.version()).tracks.map((t) => t.mute)).toEqual([muted, muted, muted]);
    expect(await page.evaluate(() => String(getSelection()))).toBe("");
  }
});

test("a stroke along the rail fades an edge and blends a joint; a fade is chosen on its curve and taken off", async ({ page }) => {
  const editor = await small(page);
  const rail = async (from: number, to: number, trackId: string) => {
    const { height } = (await editor.version()).tracks.find((t) => t.id === trackId) as { height: number };
    await editor.drag(await editor.at(from, trackId, height - 6), await editor.at(to, trackId, height - 6));
    await editor.saved();
  };
  const per = await editor.samplesPerPixel();
  await rail(1.75 * RATE, 2.2 * RATE, "t1");
  // From where the stroke began to the clip's end.
  expect(Math.abs((await editor.clip("a")).fadeOut.length - 0.25 * RATE)).toBeLessThanOrEqual(2 * per);
  // A press on its curve, half way down where it is at half its power.
  const a = await editor.clip("a");
  const on = await editor.at(clipEnd(a) - a.fadeOut.length / 3, "t1", 0);
  const height = 96 - 15 - 1 - 5;
  await page.mouse.click(on.x, on.y + 5 + (1 - Math.sin((Math.PI / 2) * (1 / 3))) * height);
  await expect(page.getByTestId("selection")).toContainText("Fade out of a");
  await page.keyboard.press("Delete");
  await editor.saved();
  expect((await editor.clip("a")).fadeOut.length).toBe(0);
  expect(await editor.lane("t1")).toHaveLength(3);
  // Gaps are closed by pulling the clips out; what meets blends.
  await editor.select("a", "b");
  await page.keyboard.press("Control+g");
  await editor.saved();
  const [left, right] = await editor.lane("t1");
  expect(right.blend?.with).toBe(left.id);
  expect(right.blend?.splice).toBe(2.5 * RATE);
});

test("drags scroll at the edge, are called off by a second button and outside the window", async ({ page }) => {
  const editor = await small(page);
  const { box, start } = await editor.view();
  await page.keyboard.press("+");
  await page.keyboard.press("+");
  await editor.settle();
  const a = await editor.nameOf("a");
  await page.mouse.move(a.x, a.y);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width - 60, a.y, { steps: 4 });
  await page.mouse.move(box.x + box.width - 4, a.y, { steps: 2 });
  await expect.poll(async () => (await editor.view()).start).toBeGreaterThan(start + RATE);
  await page.mouse.down({ button: "right" });
  await page.mouse.up({ button: "right" });
  await page.mouse.up();
  await editor.settle();
  await expect(page.getByRole("menu")).toHaveCount(0);
  expect((await editor.clip("a")).start).toBe(RATE);
  await editor.show(0, 8 * RATE);
  const grip = await editor.nameOf("a");
  await page.mouse.move(grip.x, grip.y);
  await page.mouse.down();
  await page.mouse.move(grip.x + 40, 700, { steps: 4 });
  await page.mouse.move(grip.x + 40, 900, { steps: 2 });
  await page.mouse.up();
  await editor.settle();
  const now = await editor.version();
  expect([now.tracks.length, now.revision]).toEqual([3, 1]);
});

test("no key reaches the piece while something that takes typing is open, wherever the focus is", async ({ page }) => {
  const editor = await small(page);
  await editor.select("a");
  await page.getByLabel("Tempo 92", { exact: true }).click();
  const tempo = page.getByLabel("Tempo", { exact: true });
  await tempo.fill("10");
  await tempo.press("Enter");
  await expect(page.getByText(/is no tempo/)).toBeVisible();
  await page.evaluate(() => (document.activeElement as HTMLElement).blur());
  await page.keyboard.press("/");
  await page.keyboard.press("Delete");
  await page.keyboard.press("d");
  await editor.settle();
  expect((await editor.version()).revision).toBe(1);
  await page.keyboard.press("Escape");
  await page.keyboard.press("d");
  await editor.saved();
  expect((await editor.version()).revision).toBe(2);
});

test("an empty project says its first steps; the first import is seen whole", async ({ page }) => {
  const made = await newProject();
  await EditorPage.open(page, made);
  await expect(page.getByRole("region", { name: "First steps" })).toBeVisible();
  await api("POST", `/api/versions/${made.versionId}/edits`, { revision: 0, edits: [{ type: "add-track", id: "t" }] });
  await expect(page.getByRole("region", { name: "First steps" })).toContainText("Bring recordings in");
});
