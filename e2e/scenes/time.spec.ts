import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { at } from "../../demo/score";
import { addSource, api, exportWav, newProject, noise, readWav, wavFile } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

const RATE = 48_000;
const FRAME = 1920;

test("scene 9, late rain: nudged frame by frame while it plays, then only its start, then only its end; the moves add up exactly", async ({
  page,
}) => {
  const demo = await aDemo("Late rain");
  const editor = await EditorPage.open(page, demo, {
    targets: ["grid"],
    readOuts: ["timecode", "time"],
    nudge: { kind: "step", step: { kind: "frame", fraction: 1, count: 1 } },
    edgeFadeMs: 0,
  });
  const before = await editor.version();
  const rain = before.clips.find((c) => c.trackId === "rain") as Clip;
  await page.keyboard.press("w");
  await page.mouse.move(600, 500);
  await page.mouse.wheel(0, 600);
  await editor.settle();
  const name = await editor.at(rain.start + RATE * 6, "rain", 14);
  await page.mouse.click(name.x, name.y);
  await expect(page.getByTestId("selection")).toContainText("1 clip");
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  for (let i = 0; i < 7; i++) await page.keyboard.press(".");
  await expect(page.getByText("Nudged +280.0 ms in all")).toBeVisible();
  await page.keyboard.press(",");
  // Only its start, two frames later; only its end, three frames earlier.
  for (let i = 0; i < 2; i++) await page.keyboard.press("]");
  for (let i = 0; i < 3; i++) await page.keyboard.press("{");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await page.keyboard.press("Space");
  await editor.saved();
  const after = await editor.clip(rain.id);
  expect(after.start).toBe(rain.start + 6 * FRAME + 2 * FRAME);
  expect(clipEnd(after)).toBe(clipEnd(rain) + 6 * FRAME - 3 * FRAME);
  expect(after.offset).toBe(rain.offset + 2 * FRAME);
  const others = (v: typeof before) => v.clips.filter((c) => c.id !== rain.id);
  expect(others(await editor.version())).toEqual(others(before));
});

test("scene 10, from one passage to the other: cut at a downbeat, pasted at a downbeat after the tempo change", async ({ page }) => {
  const demo = await aDemo("From one passage");
  const editor = await EditorPage.open(page, demo, {
    targets: ["grid"],
    pull: "always",
    followsZoom: false,
    step: { kind: "bar", count: 1 },
    edgeFadeMs: 4,
    overlaps: "layer",
  });
  const before = await editor.version();
  const bell = before.clips.filter((c) => c.trackId === "bells")[1];
  const [dry] = await readWav(await exportWav(demo.versionId, { tracks: ["bells"] }));
  // One bar of the bells, from downbeat to downbeat.
  await editor.show(at(19), at(22));
  const from = await editor.at(at(20) + 300, "bells", 45);
  const to = await editor.at(at(21) + 300, "bells", 45);
  await editor.drag(from, to);
  await expect(page.getByTestId("selection")).toContainText("Range 20.1.000 – 21.1.000");
  await page.keyboard.press("Control+x");
  await editor.saved();
  const gap = (await editor.version()).clips.filter((c) => c.trackId === "bells");
  expect(gap.some((c) => c.start < at(21) && clipEnd(c) > at(20))).toBe(false);
  // A downbeat after the tempo change, typed into the read-out.
  await page.getByTestId("read-out-0").click();
  await page.getByLabel("First read-out", { exact: true }).fill("33.1.000");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Control+v");
  await editor.saved();
  const pasted = (await editor.version()).clips.find((c) => c.trackId === "bells" && c.start === at(33)) as Clip;
  expect(pasted).toMatchObject({ length: at(21) - at(20), offset: bell.offset + at(20) - bell.start });
  const [wet] = await readWav(await exportWav(demo.versionId, { tracks: ["bells"] }));
  let most = 0;
  for (let i = 500; i < pasted.length - 500; i++) most = Math.max(most, Math.abs(wet[at(33) + i] - dry[at(20) + i]));
  expect(most).toBe(0);
});

test("a range of one of three linked tracks, cut and pasted, takes the sound of all three along", async ({ page }) => {
  const { projectId, versionId } = await newProject();
  const voices = ["one", "two", "three"];
  const sources = await Promise.all(voices.map((name, k) => addSource(projectId, wavFile([noise(RATE * 6, 60 + k)], "i16"), `${name}.wav`)));
  const edits = [
    ...voices.map((id) => ({ type: "add-track", id, name: id })),
    { type: "set-track", trackIds: voices, link: "voices" },
    ...voices.map((id, k) => ({ type: "add-clip", id: `c-${id}`, trackId: id, sourceId: sources[k].id, start: 0 })),
  ];
  const { status, body } = await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits });
  expect(status, JSON.stringify(body)).toBe(200);
  const editor = await EditorPage.open(page, { projectId, versionId }, { edgeFadeMs: 0, snapOn: false, overlaps: "layer" });
  const dry = await editor.heard({ start: 0, end: 6 * RATE }, voices);
  await editor.show(0, 12 * RATE);
  await editor.range(2 * RATE, 3 * RATE, "one");
  await page.keyboard.press("Control+x");
  await editor.saved();
  const gone = await editor.version();
  const range = gone.clips.filter((c) => c.trackId === "one");
  const [from, to] = [clipEnd(range[0]), range[1].start];
  expect(gone.clips).toHaveLength(6);
  await page.getByTestId("read-out-0").click();
  await page.getByLabel("First read-out", { exact: true }).fill("5.1.000");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Control+v");
  await editor.saved();
  const pasted = (await editor.version()).clips.filter((c) => c.start > 6 * RATE - 1);
  expect(pasted.map((c) => [c.trackId, c.length, c.offset]).sort()).toEqual([...voices].sort().map((id) => [id, to - from, from]));
  const at = pasted[0].start;
  expect(new Set(pasted.map((c) => c.start)).size).toBe(1);
  const wet = await editor.heard({ start: at, end: at + to - from }, voices);
  expect(wet[0]).toEqual(dry[0].slice(from, to));
});

async function piece() {
  const made = await newProject();
  const source = await addSource(made.projectId, wavFile([noise(RATE * 30, 41)], "i16"), "Loom.wav");
  await api("POST", `/api/versions/${made.versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "a", name: "Above", height: 100 },
      { type: "add-clip", id: "c", trackId: "a", sourceId: source.id, start: 0, length: RATE * 30, name: "Loom" },
      { type: "add-marker", id: "m", position: RATE * 8, name: "Bell" },
      { type: "add-section", id: "s", start: RATE * 12, end: RATE * 20, name: "Shift" },
    ],
  });
  return made;
}
const beat = (n: number): number => Math.round((n * RATE * 60) / 92);
const SNAP = { targets: ["grid"], pull: "always", step: { kind: "beat", count: 1 }, followsZoom: false, edgeFadeMs: 0, overlaps: "layer" };

test("the held grid key leaves the grid in every kind of gesture: range, fade, playhead, trim, split, marker, section, loop", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece(), SNAP);
  await page.getByTestId("lanes").hover();
  const per = await editor.samplesPerPixel();
  const off = (n: number): boolean => Math.abs(n - beat(Math.round((n * 92) / 60 / RATE))) > 3;
  const odd = beat(5) + 9000;
  // Playhead: by a click in the ruler, on the line and off it.
  const ruler = await editor.rulerAt(odd);
  await page.mouse.click(ruler.x, ruler.y);
  await expect(page.getByTestId("read-out-0")).toHaveText("2.2.000");
  await page.keyboard.down("g");
  await page.mouse.click(ruler.x, ruler.y);
  await page.keyboard.up("g");
  await expect(page.getByTestId("read-out-0")).not.toHaveText(/\.000$/);
  // A range.
  const a = await editor.at(odd, "a", 60);
  await page.keyboard.down("g");
  await editor.drag(a, { x: a.x + 77, y: a.y });
  await page.keyboard.up("g");
  await expect(page.getByTestId("selection")).toContainText(/Range \d+\.\d\.(?!000)\d+/);
  await page.keyboard.press("Escape");
  // A fade, the key pressed during the drag.
  const corner = await editor.at(0, "a", 8);
  await editor.drag({ x: corner.x + 4, y: corner.y }, { x: corner.x + 60, y: corner.y }, () => page.keyboard.down("g"));
  await page.keyboard.up("g");
  await editor.saved();
  expect(off((await editor.clip("c")).fadeIn.length)).toBe(true);
  // A marker, a section's end, and the loop.
  const marker = page.getByLabel("Marker Bell");
  const box = await marker.boundingBox();
  if (!box) throw new Error("no marker");
  const grip = { x: box.x + 3, y: box.y + 6 };
  await page.keyboard.down("g");
  await editor.drag(grip, { x: grip.x + 41, y: grip.y });
  await page.keyboard.up("g");
  await editor.saved();
  const moved = (await editor.version()).markers[0].position;
  expect(Math.abs(moved - (RATE * 8 + 41 * per))).toBeLessThan(2 * per);
  // Without the key it lands on a beat.
  const again = await marker.boundingBox();
  if (!again) throw new Error("no marker");
  await editor.drag({ x: again.x + 3, y: again.y + 6 }, { x: again.x + 33, y: again.y + 6 });
  await editor.saved();
  expect(off((await editor.version()).markers[0].position)).toBe(false);
  const end = await editor.rulerAt(RATE * 20);
  const rowY = again.y - 10;
  await page.keyboard.down("g");
  await editor.drag({ x: end.x - 2, y: rowY }, { x: end.x + 35, y: rowY });
  await page.keyboard.up("g");
  await editor.saved();
  expect((await editor.version()).sections[0].end).toBeGreaterThan(RATE * 20);
  // The loop, as a whole.
  await page.getByRole("button", { name: "Shift", exact: true }).click();
  await page.keyboard.press("l");
  await editor.saved();
  const loop = await page.getByLabel("Loop on").boundingBox();
  if (!loop) throw new Error("no loop");
  const hold = { x: loop.x + loop.width / 2, y: loop.y + 2 };
  await page.keyboard.down("g");
  await editor.drag(hold, { x: hold.x - 47, y: hold.y });
  await page.keyboard.up("g");
  await editor.saved();
  expect(Math.abs(((await editor.version()).loop?.start ?? 0) - (RATE * 12 - 47 * per))).toBeLessThan(2 * per);
  await page.keyboard.press("Escape");
  // A trim.
  const tail = await editor.at(RATE * 30, "a", 60);
  await page.keyboard.down("g");
  await editor.drag({ x: tail.x - 2, y: tail.y }, { x: tail.x - 61, y: tail.y });
  await page.keyboard.up("g");
  await editor.saved();
  expect(Math.abs(clipEnd(await editor.clip("c")) - (RATE * 30 - 59 * per))).toBeLessThan(2 * per);
  // A split, off the line.
  await page.keyboard.press("x");
  const cut = await editor.at(beat(20) + 7000, "a", 60);
  await page.keyboard.down("g");
  await page.mouse.click(cut.x, cut.y);
  await page.keyboard.up("g");
  await editor.saved();
  const halves = (await editor.version()).clips;
  expect(halves).toHaveLength(2);
  expect(off(halves[1].start)).toBe(true);
});

test("every kind of grid is chosen from the mode line, and what is drawn is what is snapped to", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece(), SNAP);
  const line = page.getByTestId("mode-line");
  const menu = async (): Promise<void> => {
    await line.getByRole("button", { name: / grid$|thinned$/ }).click();
  };
  await menu();
  const dialog = page.getByRole("dialog");
  for (const [chip, words] of [
    ["Bar", "bar grid"],
    ["Beat in 5", "beat in 5 grid"],
    ["1/1", "1/1 grid"],
    ["1/4", "1/4 grid"],
    ["1/128", "1/128 grid"],
  ]) {
    await dialog.getByRole("button", { name: chip, exact: true }).click();
    await expect(line).toContainText(words);
  }
  await dialog.getByRole("radio", { name: "Triplet" }).click();
  await expect(line).toContainText("1/128 triplet grid, lines thinned");
  for (const [family, chip, words] of [
    ["Seconds", "100 ms", "100 ms grid"],
    ["Frames", "half frame", "half frame grid"],
    ["Samples", "1000 samples", "1000 sample grid"],
  ]) {
    await dialog.getByRole("radio", { name: family }).click();
    await dialog.getByRole("button", { name: chip, exact: true }).click();
    await expect(line).toContainText(words);
  }
  for (const step of ["3 beats", "1/8 dotted", "480 ticks", "beat in 11", "333.3 ms", "5 frames", "quarter frame", "2 bars"]) {
    await dialog.getByLabel("Any step").fill(step);
    await page.keyboard.press("Enter");
    await expect(line).toContainText(`${step.replace(/^(\d+ (?:bar|beat|tick|frame|sample))s$/, "$1")} grid`);
  }
  await dialog.getByLabel("Any step").fill("0 ms");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/“?"?0 ms"? was not understood/)).toBeVisible();
  await page.keyboard.press("Escape");
  // Two bars: the playhead lands on one.
  const ruler = await editor.rulerAt(beat(7));
  await page.mouse.click(ruler.x, ruler.y);
  await expect(page.getByTestId("read-out-0")).toHaveText("3.1.000");
  // Fifths of a beat: it lands on the one that is nearest, of which ticks tell.
  await menu();
  await dialog.getByRole("radio", { name: "Bars" }).click();
  await dialog.getByRole("button", { name: "Beat in 5", exact: true }).click();
  await page.keyboard.press("Escape");
  const fifth = await editor.rulerAt(beat(7) + (beat(8) - beat(7)) * 0.42);
  await page.mouse.click(fifth.x, fifth.y);
  await expect(page.getByTestId("read-out-0")).toHaveText(/\.384$/);
});

test("a ruler that counts otherwise than the grid offers that grid and nudge follow; taken, they do; the last ruler stays", async ({ page }) => {
  await EditorPage.open(page, await piece(), SNAP);
  const line = page.getByTestId("mode-line");
  await page.getByRole("button", { name: "Rulers", exact: true }).click();
  const dialog = page.getByRole("dialog");
  await dialog.getByRole("switch", { name: "Timecode" }).click();
  await page.getByRole("button", { name: "Grid and nudge in frames" }).click();
  await expect(line).toContainText("frame grid");
  await expect(line.getByRole("button", { name: /^frame$|1 frame/ })).toBeVisible();
  // The ruler of the grid goes: it is offered what is left.
  await page.getByRole("button", { name: "Rulers", exact: true }).click();
  await dialog.getByRole("switch", { name: "Timecode" }).click();
  await expect(page.getByRole("button", { name: "Grid and nudge in bars and beats" })).toBeVisible();
  for (const name of ["Sections and markers", "Tempo and meter", "Minutes and seconds"]) await dialog.getByRole("switch", { name }).click();
  await dialog.getByRole("switch", { name: "Bars and beats" }).click();
  await expect(page.getByText("One ruler stays.")).toBeVisible();
});

test("tempo and meter by hand: added, typed, dragged, kept bars or time, refused in words", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece(), SNAP);
  await page.getByLabel("Tempo 92", { exact: true }).click();
  const tempo = page.getByLabel("Tempo", { exact: true });
  await tempo.fill("-3");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/is no tempo/)).toBeVisible();
  expect((await editor.version()).tempo).toEqual([{ tick: 0, bpm: 92 }]);
  await page.getByRole("radio", { name: "Bars", exact: true }).click();
  await tempo.fill("46");
  await page.keyboard.press("Enter");
  await editor.saved();
  // At half the tempo what was at eight seconds is at sixteen: markers keep their bars.
  expect((await editor.version()).markers[0].position).toBe(RATE * 16);
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).markers[0].position).toBe(RATE * 8);
  // A meter change, added at a bar line, typed, and refused when it is none.
  const row = page.getByLabel("Add a tempo or meter");
  const box = await row.boundingBox();
  const bar5 = await editor.rulerAt(beat(16));
  if (!box) throw new Error("no row");
  await page.mouse.click(bar5.x, box.y + 8);
  await page.getByRole("button", { name: "Add meter" }).click();
  await editor.saved();
  expect((await editor.version()).meter).toEqual([
    { tick: 0, numerator: 4, denominator: 4 },
    { tick: 16 * 960, numerator: 4, denominator: 4 },
  ]);
  // Its field is open at once; what is refused can be typed again there.
  const meter = page.getByLabel("Meter", { exact: true });
  await meter.fill("0/4");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/is no meter/)).toBeVisible();
  await meter.fill("6/8");
  await page.keyboard.press("Enter");
  await editor.saved();
  expect((await editor.version()).meter[1]).toEqual({ tick: 16 * 960, numerator: 6, denominator: 8 });
  await page.keyboard.press("Escape");
  // Dragged on by a bar and put back.
  const chip = await page.getByLabel("Meter 6/8").boundingBox();
  const bars = [await editor.rulerAt(beat(16)), await editor.rulerAt(beat(19))];
  if (!chip) throw new Error("no meter");
  await editor.drag({ x: chip.x + 6, y: chip.y + 6 }, { x: chip.x + 6 + bars[1].x - bars[0].x, y: chip.y + 6 });
  await editor.saved();
  expect((await editor.version()).meter[1].tick).toBe(19 * 960);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).meter[1].tick).toBe(16 * 960);
  // 6/8 has six beats: the read-out counts them.
  await page.getByTestId("read-out-0").click();
  await page.getByLabel("First read-out", { exact: true }).fill("5.6.100");
  await page.keyboard.press("Enter");
  await expect(page.getByTestId("read-out-0")).toHaveText("5.6.100");
  await page.getByTestId("read-out-0").click();
  await page.getByLabel("First read-out", { exact: true }).fill("5.7");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/bar 5 has 6 beats/)).toBeVisible();
});

test("tempo and meter are listed, typed at any place, moved and removed from the keyboard alone", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece());
  // The command is found by its words, and leads into the form.
  await page.keyboard.press("Control+k");
  await page.keyboard.type("typed place");
  await page.keyboard.press("Enter");
  const place = page.getByLabel("Place of a new tempo or meter");
  await expect(place).toBeFocused();
  await page.keyboard.type("5.1");
  await page.keyboard.press("Tab");
  await page.keyboard.type("500");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/is no tempo/)).toBeVisible();
  const value = page.getByLabel("New tempo or meter", { exact: true });
  await value.fill("120,5");
  await page.keyboard.press("Enter");
  await editor.saved();
  expect((await editor.version()).tempo).toEqual([
    { tick: 0, bpm: 92 },
    { tick: 16 * 960, bpm: 120.5 },
  ]);
  // The same place again is refused and said; a meter goes to the bar line that is nearest.
  await place.fill("5.1");
  await value.fill("90");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/There is one at 5\.1\.000 already/)).toBeVisible();
  await place.fill("5.1.300");
  await value.fill("6/8");
  await page.keyboard.press("Enter");
  await editor.saved();
  expect((await editor.version()).meter).toEqual([
    { tick: 0, numerator: 4, denominator: 4 },
    { tick: 16 * 960, numerator: 6, denominator: 8 },
  ]);
  expect((await editor.version()).tempo).toHaveLength(2);
  // A place in the list is typed too: the tempo comes two bars earlier, and undo puts it back.
  await page.getByLabel("Place of the tempo at 5.1.000").fill("3.1");
  await page.keyboard.press("Enter");
  await editor.saved();
  expect((await editor.version()).tempo[1]).toEqual({ tick: 8 * 960, bpm: 120.5 });
  await page.getByLabel("Tempo at 3.1.000", { exact: true }).fill("80");
  await page.keyboard.press("Enter");
  await editor.saved();
  expect((await editor.version()).tempo[1]).toEqual({ tick: 8 * 960, bpm: 80 });
  await page.getByRole("button", { name: "Remove the meter at 5.1.000" }).focus();
  await page.keyboard.press("Enter");
  await editor.saved();
  expect((await editor.version()).meter).toHaveLength(1);
  // The first ones stay: they have a value, but neither another place nor an end.
  await expect(page.getByRole("button", { name: "Remove the tempo at 1.1.000" })).toHaveCount(0);
  await value.focus();
  await page.keyboard.press("Escape");
  for (let n = 0; n < 5; n++) await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).tempo).toEqual([{ tick: 0, bpm: 92 }]);
  // A map of a thousand events is listed around the playhead; the rest is counted.
  const { revision } = await editor.version();
  const tempo = Array.from({ length: 1000 }, (_, n) => ({ tick: n * 240, bpm: 92 + (n % 7) }));
  await api("POST", `/api/versions/${editor.versionId}/edits`, { revision, edits: [{ type: "set-time", tempo }] });
  await expect(page.getByText("Those around the playhead; 900 more lie before and after.")).toBeVisible();
  await expect(page.getByLabel("Tempo at 1.1.240", { exact: true })).toHaveValue("93");
  await page.keyboard.press("End");
  await expect(page.getByLabel("Tempo at 1.1.240", { exact: true })).toHaveCount(0);
});

test("markers are set while it plays, named at once, listed, jumped to and nudged; spans become range, loop and section", async ({ page }) => {
  const editor = await EditorPage.open(page, await piece(), { ...SNAP, nudge: { kind: "step", step: { kind: "time", milliseconds: 10 } } });
  await page.keyboard.press("Space");
  await page.keyboard.press("m");
  await page.getByLabel("Name of the marker").fill("Pop");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Escape");
  await expect(page.getByRole("button", { name: "Stop" })).toBeVisible();
  await page.keyboard.press("Space");
  await editor.saved();
  expect((await editor.version()).markers.map((m) => m.name).sort()).toEqual(["Bell", "Pop"]);
  await page.getByRole("tab", { name: "Marks" }).click();
  await page.getByRole("button", { name: /^Bell/ }).click();
  await expect(page.getByTestId("read-out-1")).toHaveText("00:08.000");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Range from Shift" }).click();
  await expect(page.getByTestId("selection")).toContainText("Range");
  await page.keyboard.press("l");
  await editor.saved();
  expect((await editor.version()).loop).toEqual({ start: RATE * 12, end: RATE * 20, on: true });
  await page.keyboard.press("Home");
  await page.keyboard.press("k");
  await page.keyboard.press("b");
  await expect(page.getByTestId("selection")).toContainText("Range");
  await page.keyboard.press("Shift+M");
  await editor.saved();
  expect((await editor.version()).sections).toHaveLength(2);
});
