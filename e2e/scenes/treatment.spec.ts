import { addSource, api, newProject, noise, same, wavFile } from "../client";
import { listen } from "../ear";
import { EditorPage } from "../editor";
import { aDemo, expect, type Page, test } from "../scene";

/** A piece of one clip of noise, and its samples. */
async function ofNoise(page: Page, seconds: number) {
  const made = await newProject(48_000);
  const x = noise(seconds * 48_000, 5);
  const source = await addSource(made.projectId, wavFile([x]), "Noise.wav");
  const edits = [
    { type: "add-track", id: "t", name: "Noise" },
    { type: "add-clip", id: "c", name: "Noise", trackId: "t", sourceId: source.id, start: 0 },
  ];
  await api("POST", `/api/versions/${made.versionId}/edits`, { revision: 0, edits });
  return { x, editor: await EditorPage.open(page, made, { edgeFadeMs: 0 }) };
}
const power = (x: Float32Array): number => x.reduce((s, v) => s + v * v, 0) / x.length;

test("scene 23, a hum that needs help: a chain laid on, heard bare and treated, kept as a preset, laid on more clips; an echo past the end; all taken off", async ({
  page,
}) => {
  test.setTimeout(120_000);
  const demo = await aDemo("A hum that needs help");
  const editor = await EditorPage.open(page, demo, { edgeFadeMs: 0, overlaps: "layer" });
  const hums = await editor.lane("hum-low");
  const [hum] = hums;
  const span = { start: hum.start, end: hum.start + hum.length };
  const before = await editor.heard(span, ["hum-low"]);
  await editor.show(hum.start, hum.start + hum.length);
  await editor.select(hum.id);
  await editor.openPart("Treatment");
  const add = async (name: string): Promise<void> => {
    await page.getByRole("button", { name: "Add …" }).click();
    await page.getByRole("button", { name, exact: true }).last().click();
  };
  await add("Low cut");
  await expect(page.getByRole("img", { name: "What the filters let through" })).toBeVisible();
  await page.getByLabel("Frequency of Low cut").fill("400");
  await page.keyboard.press("Enter");
  await add("Bell");
  await add("Gate");
  await editor.saved();
  expect((await editor.clip(hum.id)).recipe?.treat?.chain.map((p) => p.kind)).toEqual(["lowCut", "bell", "gate"]);
  const treated = await editor.heard(span, ["hum-low"]);
  expect(power(treated[0])).toBeLessThan(power(before[0]) * 0.7);

  // The order, and one by-passed; bare and treated by one key.
  await page.getByRole("button", { name: "Gate earlier" }).click();
  await page.getByRole("checkbox", { name: "Gate on" }).click();
  await editor.saved();
  expect((await editor.clip(hum.id)).recipe?.treat?.chain.map((p) => [p.kind, p.on])).toEqual([
    ["lowCut", true],
    ["gate", false],
    ["bell", true],
  ]);
  // Dragged by its grip to the end, and back to the middle by its button.
  const rows = page.locator("[data-processor]");
  await rows.nth(2).scrollIntoViewIfNeeded();
  const [gate, last] = [await rows.nth(1).boundingBox(), await rows.nth(2).boundingBox()];
  if (!gate || !last) throw new Error("no chain");
  await editor.drag({ x: gate.x + 5, y: gate.y + 5 }, { x: last.x + 5, y: last.y + last.height + 4 });
  const kinds = async () => (await editor.clip(hum.id)).recipe?.treat?.chain.map((p) => p.kind);
  await expect.poll(kinds).toEqual(["lowCut", "bell", "gate"]);
  await page.getByRole("button", { name: "Gate earlier" }).click();
  await expect.poll(kinds).toEqual(["lowCut", "gate", "bell"]);
  await editor.saved();
  await page.keyboard.press("Alt+a");
  await editor.saved();
  expect(same((await editor.heard(span, ["hum-low"]))[0], before[0])).toBe(true);
  await page.keyboard.press("Alt+a");
  await editor.saved();

  // A preset, laid on both clips of another voice at once, as one step.
  const name = `Hum ${Date.now()}`;
  await page.getByRole("button", { name: "Presets …" }).click();
  await page.getByLabel("Name of the preset").fill(name);
  await page.getByRole("button", { name: "Keep" }).click();
  await expect(page.getByRole("button", { name, exact: true })).toBeVisible();
  await page.keyboard.press("Escape");
  const others = await editor.lane("hum-high");
  await page.keyboard.press("w");
  await editor.select(...others.map((c) => c.id));
  await page.getByRole("button", { name: "Presets …" }).click();
  await page.getByRole("button", { name, exact: true }).click();
  await page.keyboard.press("Escape");
  await editor.saved();
  for (const clip of await editor.lane("hum-high")) expect(clip.recipe?.treat?.chain).toHaveLength(3);
  await page.keyboard.press("Control+z");
  await editor.saved();
  for (const clip of await editor.lane("hum-high")) expect(clip.recipe).toBeUndefined();

  // Echo on the last bell rings out past its end.
  const bell = (await editor.lane("bells")).at(-1);
  if (!bell) throw new Error("There is no bell.");
  await editor.select(bell.id);
  await add("Echo");
  // Its time as a note: at the tempo where the bell lies.
  await page.getByLabel("Time of Echo").fill("1/8 dotted");
  await page.keyboard.press("Enter");
  await editor.saved();
  const { tempo } = await editor.version();
  const echo = (await editor.version()).clips.flatMap((c) => c.recipe?.treat?.chain ?? []).find((x) => x.kind === "echo") as { time: number };
  expect(tempo.map(({ bpm }) => Math.abs(echo.time - 45_000 / bpm) < 0.02)).toContain(true);
  await editor.saved();
  const rung = await editor.clip(bell.id);
  expect(rung.length).toBeGreaterThan(bell.length);

  // All of it off again: the recordings' own samples.
  await page.getByRole("button", { name: "Take off" }).first().click();
  await editor.saved();
  expect(await editor.clip(bell.id)).toEqual(bell);
  await editor.select(hum.id);
  await page.getByRole("button", { name: "Take off" }).first().click();
  await editor.saved();
  const after = await editor.heard(span, ["hum-low"]);
  expect(same(after[0], before[0]) && same(after[1], before[1])).toBe(true);
});

test("the server away, a chain is laid and changed all the same; what must be measured there is told so", async ({ page }) => {
  const { editor } = await ofNoise(page, 4);
  await page.keyboard.press("w");
  await page.keyboard.press("Control+a");
  await editor.openPart("Treatment");
  await page.route(/\/edits$/, (route) => route.abort());
  const add = async (name: string): Promise<void> => {
    await page.getByRole("button", { name: "Add …" }).click();
    await page.getByRole("button", { name, exact: true }).last().click();
  };
  await add("Gain");
  await page.getByLabel("Gain of Gain").fill("-6");
  await page.keyboard.press("Enter");
  await expect(page.getByText("-6 dB")).toBeVisible();
  await expect(page.getByTestId("save-state")).toHaveAttribute("data-save", "waiting");
  await add("Normalise");
  await expect(
    page.getByText(/The level could not be measured. The server is away and has not got your last 2 steps yet. They are kept here/),
  ).toBeVisible();
  await expect(page.getByText("Normalise", { exact: true })).toHaveCount(0);
  await page.unroute(/\/edits$/);
  await editor.saved();
  expect((await editor.clip("c")).recipe?.treat?.chain).toMatchObject([{ kind: "gain", db: -6 }]);
  await add("Normalise");
  await expect.poll(async () => (await editor.clip("c")).recipe?.treat?.chain.map((p) => p.kind)).toEqual(["gain", "normalise"]);
});

test("what is turned at is heard at once, before the server has made it; the bare sound is as loud where that is wanted", { tag: "@alone" }, async ({
  page,
}) => {
  const { x, editor } = await ofNoise(page, 4);
  // The server never gets to making it.
  await page.route(/pcm\?chunk=/, (route) =>
    route.request().url().includes("~m") ? route.fulfill({ status: 202, json: { status: "rendering", progress: 0 } }) : route.continue(),
  );
  await page.keyboard.press("w");
  await page.keyboard.press("Control+a");
  await editor.openPart("Treatment");
  await page.getByRole("button", { name: "Add …" }).click();
  await page.getByRole("button", { name: "Gain", exact: true }).last().click();
  await page.getByLabel("Gain of Gain").fill("-20");
  await page.keyboard.press("Enter");
  await editor.saved();
  await page.getByTestId("lanes").focus();
  const loud = (list: readonly number[]): number => Math.sqrt(list.slice(4800).reduce((s, v) => s + v * v, 0) / (list.length - 4800));
  const level = async (): Promise<number> => 20 * Math.log10(loud(await listen(page, 0.5)) / loud([...x.subarray(0, 24_000)]));
  await page.keyboard.press("Home");
  expect(await level()).toBeCloseTo(-20, 0);
  // By-passed it is 20 dB louder, and with the switch as loud as before.
  await page.getByLabel("Compare at equal loudness").check();
  await page.keyboard.press("Alt+a");
  await expect(page.getByText(/to be as loud/)).toBeVisible();
  await page.keyboard.press("Home");
  expect(await level()).toBeCloseTo(-20, 0);
  // The treated sound is as loud as ever: what was for the bare one is not laid on it.
  await page.keyboard.press("Alt+a");
  await expect(page.getByRole("checkbox", { name: "Gain on" })).toBeChecked();
  await page.keyboard.press("Home");
  expect(await level()).toBeCloseTo(-20, 0);
  // It was listened to, and is no step: undo takes the gain back, and a by-pass in between ends no redo.
  await page.keyboard.press("Control+z");
  await expect(page.getByLabel("Gain of Gain")).not.toHaveValue(/20/);
  await page.keyboard.press("Alt+a");
  await expect(page.getByRole("checkbox", { name: "Gain on" })).not.toBeChecked();
  await page.keyboard.press("Control+Shift+z");
  await expect(page.getByLabel("Gain of Gain")).toHaveValue(/20/);
  await editor.saved();
  await page.getByLabel("Compare at equal loudness").uncheck();
  // Done again, the chain is as it was when it was laid: taken in.
  await expect(page.getByRole("checkbox", { name: "Gain on" })).toBeChecked();
  await page.keyboard.press("Alt+a");
  await page.keyboard.press("Alt+a");
  await page.keyboard.press("Alt+a");
  await page.keyboard.press("Home");
  expect(await level()).toBeCloseTo(0, 0);
});

test("a dial is turned: heard meanwhile, laid when it is let go as one step, called off by Escape; keys and a double click too", {
  tag: "@alone",
}, async ({ page }) => {
  const { x, editor } = await ofNoise(page, 40);
  await page.keyboard.press("w");
  await page.keyboard.press("Control+a");
  await editor.openPart("Treatment");
  await page.getByRole("button", { name: "Add …" }).click();
  await page.getByRole("button", { name: "Gain", exact: true }).last().click();
  await editor.saved();
  const gain = async () => (await editor.clip("c")).recipe?.treat?.chain.map((p) => (p as { db?: number }).db);
  const dial = page.getByRole("slider", { name: "Gain, dial of gain" });
  await dial.scrollIntoViewIfNeeded();
  const box = await dial.boundingBox();
  if (!box) throw new Error("no dial");
  const [at, revision] = [{ x: box.x + box.width / 2, y: box.y + box.height / 2 }, (await editor.version()).revision];
  const loud = (list: readonly number[]): number => Math.sqrt(list.slice(4800).reduce((s, v) => s + v * v, 0) / (list.length - 4800));
  // A key would turn the dial, which has the focus; noise is as loud anywhere.
  const again = { again: async () => {} };
  const level = async (): Promise<number> => 20 * Math.log10(loud(await listen(page, 0.5, again)) / loud([...x.subarray(0, 24_000)]));
  // From -96 to 48 dB in 160 pixels: 22 of them are about 20 dB.
  await page.mouse.move(at.x, at.y);
  await page.mouse.down();
  await page.mouse.move(at.x, at.y + 10);
  await page.mouse.move(at.x, at.y + 22, { steps: 3 });
  const turned = Number(await dial.getAttribute("aria-valuenow"));
  expect(turned).toBeLessThan(-15);
  await page.mouse.move(at.x, at.y + 22.4);
  await expect(async () => expect(await level()).toBeCloseTo(turned, 0)).toPass({ timeout: 15_000 });
  expect((await editor.version()).revision).toBe(revision);
  await page.keyboard.press("Escape");
  await page.mouse.up();
  expect(await gain()).toEqual([0]);
  expect((await editor.version()).revision).toBe(revision);
  await editor.drag(at, { x: at.x, y: at.y - 11 });
  await editor.saved();
  const [up] = (await gain()) ?? [];
  expect(up).toBeGreaterThan(5);
  await dial.dblclick();
  await expect.poll(gain).toEqual([0]);
  await dial.focus();
  for (let i = 0; i < 3; i++) await page.keyboard.press("ArrowDown");
  await editor.saved();
  await expect.poll(async () => (await gain())?.[0]).toBeCloseTo(-4.3, 0);
  // However often it was turned, it is one step for undo.
  await page.getByTestId("lanes").focus();
  await page.keyboard.press("Control+z");
  await expect.poll(gain).toEqual([0]);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.clip("c")).recipe).toBeUndefined();
});
