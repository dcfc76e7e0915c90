import type { Page } from "@playwright/test";
import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { addSource, api, exportWav, newProject, noise, wavFile } from "../client";
import { listen } from "../ear";
import { EditorPage } from "../editor";
import { expect, test } from "../scene";
import { Fingers } from "../touch";

const RATE = 48_000;

/** A phrase of noise, a pause, a phrase: as somebody would say it several times. */
function said(seed: number, gain: number): Float32Array {
  const x = noise(6 * RATE, seed);
  return x.map((v, i) => (Math.floor(i / RATE) % 2 === 0 ? v * gain : 0));
}

async function piece() {
  const { projectId, versionId } = await newProject(RATE);
  const sources = [];
  for (const [i, gain] of [0.5, 0.8, 0.3].entries()) sources.push(await addSource(projectId, wavFile([said(i + 1, gain)]), `Take ${i + 1}.wav`));
  const edits = [
    { type: "add-track", id: "voice", name: "Guide" },
    ...sources.map((s, i) => ({ type: "add-clip", id: `take${i + 1}`, trackId: "voice", sourceId: s.id, start: RATE, overlap: "layer" })),
  ];
  const { status } = await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits });
  expect(status).toBe(200);
  return { projectId, versionId };
}

test("takes are stacked, picked by sweeping, by a click and by key, rated, heard, lined up, opened out and flattened", async ({ page }) => {
  const made = await piece();
  const editor = await EditorPage.open(page, made, { snapOn: false, edgeFadeMs: 10 });
  await page.keyboard.press("w");
  await page.keyboard.press("Control+a");
  await page.keyboard.press("Alt+d");
  const panel = page.getByRole("region", { name: "Takes" });
  await expect(panel.getByRole("listitem")).toHaveCount(3);
  const stackOf = async () =>
    (await editor.version()).bundles?.[0] as { id: string; takes: { id: string; rating: number; clips: { at: number }[] }[] };
  await expect.poll(async () => (await editor.version()).bundles?.length).toBe(1);
  const { takes } = await stackOf();
  const lane = (n: number) => panel.getByTestId(`lane-${takes[n].id}`);
  /** Where a moment lies on a lane. */
  const at = async (n: number, seconds: number) => {
    const [box, view] = [await lane(n).boundingBox(), await editor.view()];
    if (!box) throw new Error("no lane");
    return { x: box.x + (seconds * RATE - view.start) / view.per, y: box.y + 20 };
  };
  const picks = async () =>
    (await editor.version()).clips
      .map((c) => ({ lane: takes.findIndex((l) => l.id === c.take), from: (c.blend?.splice ?? c.start) / RATE, to: clipEnd(c) / RATE }))
      .sort((a, b) => a.from - b.from);
  // The one on top was heard: it is all that is picked.
  expect((await picks()).map((p) => p.lane)).toEqual([2]);

  // Swept over the first lane, from the second second to the fourth.
  const [a, b] = [await at(0, 2), await at(0, 4)];
  await page.mouse.move(a.x, a.y);
  await page.mouse.down();
  await page.mouse.move((a.x + b.x) / 2, a.y, { steps: 3 });
  await page.mouse.move(b.x, b.y, { steps: 3 });
  await page.mouse.up();
  await expect.poll(async () => (await picks()).map((p) => p.lane)).toEqual([2, 0, 2]);
  const [, swept] = await picks();
  expect(Math.abs(swept.from - 2)).toBeLessThan(0.05);

  // A click picks the phrase around it: from one to two of the recording's seconds on, there is a pause on both sides.
  const inside = await at(1, 5.5);
  await page.mouse.click(inside.x, inside.y);
  await expect.poll(async () => (await picks()).map((p) => p.lane)).toEqual([2, 0, 2, 1, 2]);
  const phrase = (await picks())[3];
  expect(phrase.from).toBeGreaterThan(4);
  expect(phrase.from).toBeLessThan(5.05);
  expect(phrase.to).toBeGreaterThan(5.95);
  expect(phrase.to).toBeLessThan(7);
  // Its borders are blended by themselves, or lie in pauses where nothing is to be blended.
  const { clips } = await editor.version();
  expect(clips.filter((c) => c.blend).length).toBe(4);

  // By key: the lane in focus is rated, and picked for the range.
  await panel.getByRole("listitem").nth(1).focus();
  await page.keyboard.press("4");
  await expect.poll(async () => (await stackOf()).takes[1].rating).toBe(4);
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowUp");
  await page.keyboard.press("h");
  await expect(panel.getByRole("button", { name: /^Hear Take 2.* by itself/ })).toHaveAttribute("aria-pressed", "true");
  await panel.getByRole("button", { name: /^Hear Take 2.* by itself/ }).click();
  await expect(panel.getByRole("button", { name: /^Hear Take 2.* by itself/ })).toHaveAttribute("aria-pressed", "false");

  // Flattened it sounds the same; undone the lanes are there again; opened out each has a track.
  const before = await exportWav(made.versionId);
  await panel.getByRole("button", { name: "Flatten" }).click();
  await expect.poll(async () => (await editor.version()).bundles?.length).toBe(0);
  expect(Buffer.compare(await exportWav(made.versionId), before)).toBe(0);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).bundles?.length).toBe(1);
  await panel.getByRole("button", { name: "Open out" }).click();
  await expect.poll(async () => (await editor.version()).tracks.length).toBe(3);
});

test("a take is changed as a whole from the menu of its pick, and keeps that where it is picked later; a split says that there are two stacks", async ({
  page,
}) => {
  const { editor, panel } = await stacked(page);
  const version = await editor.version();
  const lanes = async () => ((await editor.version()).bundles?.[0].takes ?? []).map((l) => l.clips.map((c) => c.recipe));
  const [pick] = version.clips;
  // The pick alone is treated; then all of its take as it is here.
  await editor.select(pick.id);
  await page.keyboard.press("Alt+a");
  await editor.saved();
  await api("POST", `/api/versions/${editor.versionId}/edits`, {
    revision: (await editor.version()).revision,
    edits: [{ type: "treat", clipIds: [pick.id], chain: [{ kind: "gain", db: -3 }] }],
  });
  await editor.settle();
  const menu = async (...labels: string[]): Promise<void> => {
    const at = await editor.nameOf(pick.id);
    await page.mouse.click(at.x, at.y, { button: "right" });
    for (const label of labels) await page.getByRole("menuitem", { name: new RegExp(`^${label}`) }).press("Enter");
  };
  await menu("Split, takes, print", "Takes", "Take 3: Take 3", "All of the take", "As it is here");
  await editor.saved();
  expect((await lanes())[2]).toMatchObject([{ treat: { chain: [{ kind: "gain", db: -3 }] } }]);
  // From the head of a lane too: backwards as a whole; its own name and place stay.
  await panel
    .getByTestId(/^lane-/)
    .nth(0)
    .waitFor();
  await panel.getByRole("button", { name: "Take 1", exact: true }).click({ button: "right" });
  await page.getByRole("menuitem", { name: "All of the take" }).press("Enter");
  await page.getByRole("menuitem", { name: "Reverse" }).press("Enter");
  await editor.saved();
  expect((await lanes())[0]).toMatchObject([{ reverse: true }]);
  await panel.getByRole("button", { name: "Take 1", exact: true }).click({ button: "right" });
  await page.getByRole("menuitem", { name: "Pick all of it" }).press("Enter");
  await editor.saved();
  expect((await editor.version()).clips.map((c) => c.recipe)).toMatchObject([{ reverse: true }]);
  // Split through, it says what came of it.
  const ruler = await editor.rulerAt(3 * RATE);
  await page.mouse.click(ruler.x, ruler.y);
  await page.keyboard.press("x");
  const cut = await editor.at(3 * RATE, "voice", 60);
  await page.mouse.click(cut.x, cut.y);
  await expect(page.getByText(/is two take stacks now/)).toBeVisible();
  await editor.saved();
  expect((await editor.version()).bundles).toHaveLength(2);
});

/** The stack of three takes that somebody said, with its lanes shown. */
async function stacked(page: Page, modes: Record<string, unknown> = {}) {
  const made = await piece();
  const editor = await EditorPage.open(page, made, { snapOn: false, edgeFadeMs: 10, ...modes });
  await page.keyboard.press("w");
  await page.keyboard.press("Control+a");
  await page.keyboard.press("Alt+d");
  await editor.saved();
  const [{ takes }] = ((await editor.version()).bundles ?? []) as { takes: { id: string; rating: number; name: string }[] }[];
  /** Whose phrases are heard, by number, in their order. */
  const picked = async () =>
    (await editor.version()).clips
      .sort((a, b) => (a.blend?.splice ?? a.start) - (b.blend?.splice ?? b.start))
      .map((c) => takes.findIndex((l) => l.id === c.take) + 1);
  return { editor, panel: page.getByRole("region", { name: "Takes" }), takes, picked };
}

test("comping by key: each lane has its number, a key picks it for the phrase at the playhead, who is picked where is shown; the best first", async ({
  page,
}) => {
  const { editor, panel, takes, picked } = await stacked(page);
  expect(await picked()).toEqual([3]);
  // The second phrase lies from the third second to the fourth: take 1 is picked for it; then take 2 for the next but one.
  for (const [seconds, key] of [
    [3.5, "Alt+1"],
    [5.5, "Alt+2"],
  ] as const) {
    const ruler = await editor.rulerAt(seconds * RATE);
    await page.mouse.click(ruler.x, ruler.y);
    await page.keyboard.press(key);
    await editor.saved();
  }
  expect(await picked()).toEqual([3, 1, 3, 2, 3]);
  const strip = panel.getByRole("group", { name: "Who is picked where" });
  await expect(strip.getByRole("button")).toHaveText(["3", "1", "3", "2", "3"]);
  // A press on the strip goes to the phrase and selects it.
  await strip.getByRole("button").nth(1).click();
  await expect(page.getByTestId("selection")).toContainText("1 clip");
  // In a pause there is nothing to pick, and a take that is not there is told.
  const { revision } = await editor.version();
  await page.keyboard.press("Alt+7");
  await expect(page.getByText("has 3 takes")).toBeVisible();
  expect((await editor.version()).revision).toBe(revision);
  // By rating: the best first, each with the number that it had.
  const lanes = panel.getByRole("list", { name: "Lanes" }).getByRole("listitem");
  await lanes.nth(2).focus();
  await page.keyboard.press("5");
  await lanes.nth(1).focus();
  await page.keyboard.press("3");
  await panel.getByRole("button", { name: "By rating" }).click();
  await expect(lanes.nth(0)).toHaveAccessibleName(`Take 3, ${takes[2].name}, rated 5`);
  await expect(lanes.nth(1)).toHaveAccessibleName(`Take 2, ${takes[1].name}, rated 3`);
  await expect(lanes.nth(2)).toHaveAccessibleName(`Take 1, ${takes[0].name}, rated 0`);
  await panel.getByRole("button", { name: "Pick take 2 for the phrase at the playhead" }).click();
  await editor.saved();
  expect((await picked()).includes(2)).toBe(true);
});

test("comping by ear: the stack plays round and round, a key picks for the phrase that is heard, the next round has it; in turn with a bare take", {
  tag: "@alone",
}, async ({ page }) => {
  const { editor, panel, picked } = await stacked(page);
  // One phrase, from the third second to the fourth, and a little of both pauses: rounds of 1.4 s.
  await page.keyboard.press("r");
  await editor.drag(await editor.at(2.8 * RATE, "voice"), await editor.at(4.2 * RATE, "voice"));
  const round = 1.4 * RATE;
  /** How loud the phrase is in a round, of what was heard. */
  const loud = (x: readonly number[], n: number): number => {
    const part = x.slice(Math.round(n * round + 0.5 * RATE), Math.round(n * round + 0.9 * RATE));
    return Math.sqrt(part.reduce((sum, v) => sum + v * v, 0) / part.length);
  };
  const loop = panel.getByRole("button", { name: "Round and round" });
  const x = await listen(page, 4.2, {
    begin: () => loop.click(),
    during: async (frames) => {
      await frames(0.6 * RATE);
      await page.keyboard.press("Alt+2");
    },
    end: () => loop.click(),
    again: async () => {
      await page.keyboard.press("Control+z");
      await editor.saved();
    },
  });
  // Take 3 is the softest, take 2 the loudest of them: 0.3 and 0.8.
  expect(loud(x, 1) / loud(x, 2)).toBeCloseTo(1, 1);
  expect(loud(x, 1)).toBeCloseTo((0.8 * 0.5) / Math.sqrt(3), 1);
  await editor.saved();
  expect(await picked()).toEqual([3, 2, 3]);
  await expect(loop).toHaveAttribute("aria-pressed", "false");

  // In turn: a round of what is picked, a round of take 1.
  const against = panel.getByRole("button", { name: /^Hear Take 1 against/ });
  const y = await listen(page, 5.6, {
    begin: () => against.click(),
    during: async (frames) => {
      await frames(0.5 * RATE);
      await expect(against).toHaveAttribute("aria-pressed", "true");
    },
    end: () => against.click(),
    again: async () => {},
  });
  for (const [n, as] of [
    [0, 0.8],
    [1, 0.5],
    [2, 0.8],
    [3, 0.5],
  ])
    expect(loud(y, n) / loud(y, 0), `round ${n}`).toBeCloseTo(as / 0.8, 1);
  await expect(against).toHaveAttribute("aria-pressed", "false");
});

test("a take that is late is lined up with the one that is heard; a recording is dropped as a new take", async ({ page }) => {
  const { projectId, versionId } = await newProject(RATE);
  const voice = said(5, 0.6);
  const late = new Float32Array(voice.length);
  late.set(voice.subarray(0, voice.length - 4800), 4800);
  const [one, two] = [await addSource(projectId, wavFile([voice]), "One.wav"), await addSource(projectId, wavFile([late]), "Two.wav")];
  const edits = [
    { type: "add-track", id: "voice", name: "Guide" },
    { type: "add-clip", id: "two", trackId: "voice", sourceId: two.id, start: RATE },
    { type: "add-clip", id: "one", trackId: "voice", sourceId: one.id, start: RATE, overlap: "layer" },
    { type: "stack-takes", id: "stack", clipIds: ["one", "two"], laneIds: ["low", "high"] },
  ];
  expect((await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits })).status).toBe(200);
  const editor = await EditorPage.open(page, { projectId, versionId }, { takes: true, snapOn: false });
  const panel = page.getByRole("region", { name: "Takes" });
  await panel.getByRole("button", { name: "Line up Two" }).click();
  await expect(page.getByText("Two: 100.0 ms earlier")).toBeVisible();
  const lanes = async () => (await editor.version()).bundles?.[0].takes ?? [];
  await expect.poll(async () => (await lanes())[0].clips[0].at).toBe(-4800);
  const data = await page.evaluateHandle(
    (bytes) => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([new Uint8Array(bytes)], "Third.wav", { type: "audio/wav" }));
      return transfer;
    },
    [...wavFile([noise(RATE, 9)], "i16")],
  );
  const box = await panel.getByTestId("lane-low").boundingBox();
  await panel.getByTestId("lane-low").dispatchEvent("drop", { dataTransfer: data, clientX: (box?.x ?? 0) + 100, clientY: (box?.y ?? 0) + 10 });
  await expect.poll(async () => (await lanes()).map((l) => l.name)).toEqual(["Two", "One", "Third"]);
});

test("the hits of a take stand on its lane, and a sweep goes to them", async ({ page }) => {
  const { projectId, versionId } = await newProject(RATE);
  /** Strikes at some seconds over a quiet room. */
  const struck = (seed: number, seconds: readonly number[]): Float32Array => {
    const x = noise(6 * RATE, seed).map((v) => v * 0.002);
    for (const at of seconds) for (let i = 0; i < RATE / 4; i++) x[at * RATE + i] += 0.6 * Math.exp(-i / 2000) * Math.cos(i * 0.3);
    return x;
  };
  const one = await addSource(projectId, wavFile([struck(1, [1.25, 3.5])]), "One.wav");
  const two = await addSource(projectId, wavFile([struck(2, [0.5, 5])]), "Two.wav");
  const edits = [
    { type: "add-track", id: "bell", name: "Bell" },
    { type: "add-clip", id: "one", trackId: "bell", sourceId: one.id, start: RATE },
    { type: "add-clip", id: "two", trackId: "bell", sourceId: two.id, start: RATE, overlap: "layer" },
    { type: "stack-takes", id: "stack", clipIds: ["one", "two"], laneIds: ["low", "high"] },
    // All of the lane lies half a second later than its stack.
    { type: "move-lane", bundleId: "stack", laneId: "low", by: RATE / 2 },
  ];
  expect((await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits })).status).toBe(200);
  const settings = { takes: true, snapOn: true, targets: ["transient"], pull: "near", placing: "line", edgeFadeMs: 0 };
  const editor = await EditorPage.open(page, { projectId, versionId }, settings);
  const lane = page.getByTestId("lane-low");
  const bare = await lane.screenshot();
  await page.keyboard.press("Control+k");
  await page.getByPlaceholder("What do you want to do?").fill("hits on the cloth");
  await page.keyboard.press("Enter");
  await expect.poll(async () => Buffer.compare(await lane.screenshot(), bare)).not.toBe(0);
  const hits = [2.75, 5].map((s) => s * RATE);
  const [box, view] = [await lane.boundingBox(), await editor.view()];
  if (!box) throw new Error("no lane");
  const x = (at: number): number => box.x + (at - view.start) / view.per;
  await page.mouse.move(x(hits[0]) - 5, box.y + 20);
  await page.mouse.down();
  await page.mouse.move(x(hits[1]) - 20, box.y + 20, { steps: 3 });
  await page.mouse.move(x(hits[1]) + 5, box.y + 20, { steps: 3 });
  await page.mouse.up();
  await expect.poll(async () => (await editor.version()).clips.some((c) => c.take === "low")).toBe(true);
  const { clips } = await editor.version();
  const picked = clips.find((c) => c.take === "low") as Clip;
  const after = clips.find((c) => c.blend?.with === picked.id);
  // To the very sample that the list of hits has.
  const { body } = await api("GET", `/api/projects/${projectId}`);
  const found = (body.sources as { id: string; transients: number[] }[]).find((s) => s.id === one.id)?.transients.map((at) => at + 1.5 * RATE);
  expect(found?.length).toBe(2);
  expect([picked.blend?.splice ?? picked.start, after?.blend?.splice ?? clipEnd(picked)]).toEqual(found);
});

test.describe("with a finger", () => {
  test.use({ hasTouch: true });
  test("takes are swept, tapped for a phrase, and taken back by Undo", async ({ page }) => {
    const made = await piece();
    const editor = await EditorPage.open(page, made, { snapOn: false, edgeFadeMs: 10 });
    const touch = await Fingers.on(page);
    await page.keyboard.press("w");
    await page.keyboard.press("Control+a");
    await page.keyboard.press("Alt+d");
    const panel = page.getByRole("region", { name: "Takes" });
    await expect(panel.getByRole("listitem")).toHaveCount(3);
    const [stack] = ((await editor.version()).bundles ?? []) as { takes: { id: string }[] }[];
    const { takes } = stack;
    const at = async (n: number, seconds: number) => {
      const [box, view] = [await panel.getByTestId(`lane-${takes[n].id}`).boundingBox(), await editor.view()];
      if (!box) throw new Error("no lane");
      return { x: box.x + (seconds * RATE - view.start) / view.per, y: box.y + 20 };
    };
    const lanes = async () => (await editor.version()).clips.sort((a, b) => a.start - b.start).map((c) => takes.findIndex((l) => l.id === c.take));
    expect(await lanes()).toEqual([2]);
    await touch.drag([await at(0, 2), await at(0, 4)]);
    await expect.poll(lanes).toEqual([2, 0, 2]);
    await touch.tap(await at(1, 5.5));
    await expect.poll(lanes).toEqual([2, 0, 2, 1, 2]);
    const undo = await page.getByRole("button", { name: "Undo", exact: true }).boundingBox();
    if (!undo) throw new Error("no undo");
    await touch.tap({ x: undo.x + undo.width / 2, y: undo.y + undo.height / 2 });
    await expect.poll(lanes).toEqual([2, 0, 2]);
  });
});
