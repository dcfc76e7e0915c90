import { addSource, api, newProject, noise, same, wavFile } from "../client";
import { listen } from "../ear";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";
import { RATE, small } from "../small";

/** Where the cloth of a clip begins below the top of its lane, and how far above the foot of the lane it ends. */
const [TOP, FOOT] = [23, 18];

test("scene 24, ride the voice: gain drawn freehand, then stepped on the grid; a split in a ramp changes nothing; the bells panned", async ({
  page,
}) => {
  const demo = await aDemo("Ride the voice");
  const editor = await EditorPage.open(page, demo, {
    snapOn: false,
    edgeFadeMs: 4,
    followsZoom: false,
    step: { kind: "note", division: 4, feel: "straight" },
  });
  const [voice] = await editor.lane("guide");
  await editor.show(voice.start, voice.start + 8 * RATE);
  const span = { start: voice.start, end: voice.start + 8 * RATE };
  const before = await editor.heard(span, ["guide"]);

  // Freehand: up and down again, thinned to what follows the hand.
  await page.keyboard.press("|");
  const { mouse } = page;
  const from = await editor.at(voice.start + RATE, "guide", 60);
  await mouse.move(from.x, from.y);
  await mouse.down();
  for (let i = 1; i <= 40; i++) await mouse.move(from.x + i * 6, from.y + 18 * Math.sin(i / 7));
  await mouse.up();
  await editor.saved();
  const drawn = (await editor.clip(voice.id)).envelopes?.gain ?? [];
  expect(drawn.length).toBeGreaterThan(3);
  expect(drawn.length).toBeLessThan(40);
  const after = await editor.heard(span, ["guide"]);
  // Each sample is the recording's, scaled by the line in dB.
  const line = (at: number): number => {
    const i = drawn.findLastIndex((p) => p.at <= at);
    if (i < 0) return drawn[0].value;
    const [a, b] = [drawn[i], drawn[i + 1]];
    return b ? a.value + ((b.value - a.value) * (at - a.at)) / (b.at - a.at) : a.value;
  };
  for (let i = RATE; i < 7 * RATE; i += 997) expect(after[0][i]).toBeCloseTo(before[0][i] * 10 ** (line(voice.offset + i) / 20), 5);

  // A cut in the middle of the ramp is not heard, and the whole line is on both sides.
  await page.keyboard.press("p");
  await page.keyboard.press("Escape");
  await editor.select(voice.id);
  const middle = await editor.rulerAt(voice.start + 2 * RATE);
  await mouse.click(middle.x, middle.y);
  await page.keyboard.press("/");
  const cut = await editor.heard(span, ["guide"]);
  expect(same(cut[0], after[0])).toBe(true);

  // With the grid in force the line goes in steps.
  await page.keyboard.press("|");
  await page.keyboard.press("g");
  const [, second] = await editor.lane("guide");
  const begin = await editor.at(second.start + RATE, "guide", 74);
  await editor.drag(begin, { x: begin.x + 200, y: begin.y - 6 });
  await editor.saved();
  expect((await editor.clip(second.id)).envelopes?.gain?.filter((p) => p.hold).length).toBeGreaterThan(1);
  await page.keyboard.press("Control+z");
  await page.keyboard.press("p");

  // The bells slowly over, from left to right.
  const [bell] = await editor.lane("bells");
  await editor.show(bell.start, bell.start + bell.length);
  await page.getByRole("button", { name: /^Draw/ }).first().click();
  await page.getByRole("radio", { name: "Clip pan" }).click();
  const [left, right] = [await editor.at(bell.start + bell.length * 0.1, "bells", 28), await editor.at(bell.start + bell.length * 0.9, "bells", 62)];
  await mouse.click(left.x, left.y);
  await mouse.click(right.x, right.y);
  await editor.saved();
  const pan = (await editor.clip(bell.id)).envelopes?.pan ?? [];
  expect(pan).toHaveLength(2);
  expect(pan[0].value).not.toBe(pan[1].value);
});

test("reverse: a clip by key plays its own window backwards, again forwards; a range across clips; its waveform turns too", async ({ page }) => {
  const editor = await small(page);
  const span = { start: 0, end: 6 * RATE };
  const [was] = await editor.heard(span, ["t1"]);
  await editor.select("a");
  await page.keyboard.press("Alt+v");
  const [now] = await editor.heard(span, ["t1"]);
  for (let i = 0; i < RATE; i += 101) expect(now[RATE + i]).toBe(was[2 * RATE - 1 - i]);
  expect(same(now.subarray(2 * RATE), was.subarray(2 * RATE))).toBe(true);
  await page.keyboard.press("Alt+v");
  expect(same((await editor.heard(span, ["t1"]))[0], was)).toBe(true);
  await editor.range(1.5 * RATE, 3 * RATE, "t1");
  await page.keyboard.press("Alt+v");
  await editor.saved();
  const lane = await editor.lane("t1");
  expect(lane.filter((c) => c.recipe?.reverse)).toHaveLength(2);
  // Gain by key, over clips one step for a row.
  await page.keyboard.press("Escape");
  await editor.select("c");
  for (let i = 0; i < 3; i++) await page.keyboard.press("Alt+ArrowLeft");
  await page.keyboard.press("Alt+Shift+ArrowRight");
  await editor.saved();
  expect((await editor.clip("c")).gain).toBe(3);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.clip("c")).gain).toBe(0);
});

test("pitch drawn over a clip: a tone glides from where it was to where the line says, as long as before; cut there nothing changes; copied and taken off", async ({
  page,
}) => {
  const { projectId, versionId } = await newProject(RATE);
  const tone = Float32Array.from({ length: 6 * RATE }, (_, i) => 0.4 * Math.sin((2 * Math.PI * 400 * i) / RATE));
  const source = await addSource(projectId, wavFile([tone]), "Tone.wav");
  const clip = (id: string, start: number) => ({ type: "add-clip", id, name: id, trackId: "t", sourceId: source.id, start: start * RATE });
  const edits = [{ type: "add-track", id: "t", name: "Tone" }, clip("one", 0), clip("two", 7)];
  await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits });
  const editor = await EditorPage.open(page, { projectId, versionId }, { edgeFadeMs: 0, snapOn: false });
  await editor.show(0, 8 * RATE);
  await editor.select("one");
  await editor.openPart("Envelopes");
  await page.getByRole("button", { name: "Draw", exact: true }).nth(2).click();
  await expect(page.getByRole("radio", { name: "Clip pitch" })).toBeChecked();
  // At a second it is as recorded, at five an octave up: the cloth of 64 px has an octave at nine tenths.
  const { mouse } = page;
  const middle = await editor.at(RATE, "t", 50);
  await mouse.click(middle.x, middle.y);
  const up = await editor.at(5 * RATE, "t", 26);
  await mouse.click(up.x, up.y);
  await editor.saved();
  const line = (await editor.clip("one")).recipe?.pitchLine ?? [];
  expect(line).toHaveLength(2);
  expect(line[1].value).toBeGreaterThan(line[0].value + 500);
  expect((await editor.clip("one")).length).toBe(6 * RATE);
  // Crossings of zero in half a second tell the pitch at both ends.
  const span = { start: 0, end: 6 * RATE };
  const hz = (x: Float32Array, from: number): number => {
    let n = 0;
    for (let i = from; i < from + RATE / 2; i++) if (x[i] <= 0 && x[i + 1] > 0) n++;
    return 2 * n;
  };
  const [bent] = await editor.heard(span, ["t"]);
  expect(Math.abs(hz(bent, RATE / 4) - 400 * 2 ** (line[0].value / 1200))).toBeLessThan(4);
  expect(Math.abs(hz(bent, 5.25 * RATE) - 400 * 2 ** (line[1].value / 1200))).toBeLessThan(5);
  // A point by key goes by semitones.
  await mouse.click(up.x, up.y);
  await page.keyboard.press("ArrowUp");
  await expect.poll(async () => (await editor.clip("one")).recipe?.pitchLine?.[1].value).toBe(line[1].value + 100);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.clip("one")).recipe?.pitchLine?.[1].value).toBe(line[1].value);
  // Cut in the glide it sounds the same, to the bit.
  await page.keyboard.press("p");
  await page.keyboard.press("Escape");
  await editor.select("one");
  const place = await editor.rulerAt(3 * RATE);
  await mouse.click(place.x, place.y);
  await page.keyboard.press("/");
  expect(same((await editor.heard(span, ["t"]))[0], bent)).toBe(true);
  await page.keyboard.press("Control+z");
  await editor.saved();
  // Copied to the other, and taken off both.
  await editor.select("one");
  await page.keyboard.press("Control+Alt+c");
  await editor.select("two");
  await page.keyboard.press("Control+Alt+v");
  await editor.saved();
  expect((await editor.clip("two")).recipe?.pitchLine).toEqual(line);
  await page.keyboard.press("Control+a");
  await page.getByRole("region", { name: "Envelopes" }).getByRole("button", { name: "Take off" }).nth(2).click();
  await editor.saved();
  expect((await editor.clip("one")).recipe).toBeUndefined();
  expect(same((await editor.heard(span, ["t"]))[0].map(Math.fround), tone)).toBe(true);
});

test("a line of gain is heard while it is dragged, and the piece again when that is called off", { tag: "@alone" }, async ({ page }) => {
  const { projectId, versionId } = await newProject(RATE);
  const x = noise(40 * RATE, 9);
  const source = await addSource(projectId, wavFile([x]), "Noise.wav");
  const edits = [
    { type: "add-track", id: "t", name: "Noise" },
    { type: "add-clip", id: "c", name: "Noise", trackId: "t", sourceId: source.id, start: 0 },
    { type: "set-envelope", clipIds: ["c"], kind: "gain", points: [{ at: 0, value: 0 }] },
  ];
  await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits });
  const editor = await EditorPage.open(page, { projectId, versionId }, { edgeFadeMs: 0, snapOn: false });
  await editor.show(0, 40 * RATE);
  await page.keyboard.press("|");
  const loud = (list: readonly number[]): number => Math.sqrt(list.slice(4800).reduce((s, v) => s + v * v, 0) / (list.length - 4800));
  const level = async (): Promise<number> => 20 * Math.log10(loud(await listen(page, 0.4)) / loud([...x.subarray(0, 24_000)]));
  const { height } = (await editor.version()).tracks[0];
  const [top, foot] = [TOP, height - FOOT];
  // 0 dB lies at three quarters of the way up.
  const on = await editor.at(20 * RATE, "t", top + 0.25 * (foot - top));
  const { mouse } = page;
  await mouse.move(on.x, on.y);
  await mouse.down();
  await mouse.move(on.x, on.y + 8, { steps: 3 });
  let softer = 0;
  await expect(async () => {
    softer = await level();
    expect(softer).toBeLessThan(-3);
  }).toPass({ timeout: 45_000 });
  // Stopped and played again while the hand still holds it.
  expect(await level()).toBeCloseTo(softer, 0);
  expect((await editor.version()).revision).toBe(1);
  await page.keyboard.press("Escape");
  await mouse.up();
  await expect(async () => expect(await level()).toBeCloseTo(0, 0)).toPass({ timeout: 45_000 });
  expect((await editor.version()).revision).toBe(1);
  // Let go of, it is what was heard.
  await editor.drag(on, { x: on.x, y: on.y + 8 });
  await editor.saved();
  expect((await editor.clip("c")).envelopes?.gain?.[0].value).toBeCloseTo(softer, 0);
});
