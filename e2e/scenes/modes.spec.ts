import { clipEnd } from "@wet-thread/core/model/schema";
import { api, newProject } from "../client";
import type { EditorPage } from "../editor";
import { expect, test } from "../scene";
import { RATE, small } from "../small";

const starts = async (editor: EditorPage, track: string) => (await editor.lane(track)).map((c) => [c.id, c.start / RATE] as const);
/** Pixels of some seconds. */
const wide = async (editor: EditorPage, seconds: number) => (seconds * RATE) / (await editor.samplesPerPixel());

test("moving along: by a drag, a trim, a delete and a drop on another track; only what is in reach moves", async ({ page }) => {
  const editor = await small(page, {
    neighbours: "ripple",
    snapOn: true,
    targets: ["grid"],
    pull: "always",
    family: "time",
    followsZoom: false,
    step: { kind: "time", milliseconds: 500 },
  });
  const half = await wide(editor, 0.5);
  const b = await editor.nameOf("b");
  await editor.drag(b, { x: b.x + half, y: b.y }, async () => {
    // Neighbours are shown where they will land before anything is done.
    expect(await starts(editor, "t1")).toEqual([
      ["a", 1],
      ["b", 2.5],
      ["c", 4],
    ]);
  });
  await editor.saved();
  expect(await starts(editor, "t1")).toEqual([
    ["a", 1],
    ["b", 3],
    ["c", 4.5],
  ]);
  expect(await starts(editor, "t2")).toEqual([
    ["x", 1],
    ["y", 4],
  ]);

  const edge = await editor.at(4 * RATE - 1, "t1", 50);
  await editor.drag(edge, { x: edge.x - half, y: edge.y });
  await editor.saved();
  expect(await starts(editor, "t1")).toEqual([
    ["a", 1],
    ["b", 3],
    ["c", 4],
  ]);

  // A start that is trimmed stays where it is; the rest is pulled in.
  const start = await editor.at(3 * RATE, "t1", 50);
  await editor.drag(start, { x: start.x + half / 2, y: start.y });
  await editor.saved();
  const trimmed = await editor.clip("b");
  expect([trimmed.start, trimmed.length, trimmed.offset].map((v) => v / RATE)).toEqual([3, 0.5, 5]);

  // With all tracks in reach, deleting closes them all.
  await page.keyboard.press("0");
  await page.keyboard.press("0");
  await expect(page.getByTestId("mode-line")).toContainText("all tracks");
  await editor.select("a");
  await page.keyboard.press("Delete");
  await editor.saved();
  expect(await starts(editor, "t1")).toEqual([
    ["b", 2],
    ["c", 3],
  ]);
  expect(await starts(editor, "t2")).toEqual([
    ["x", 1],
    ["y", 3],
  ]);

  // Onto another track: the old one closes up, the new one makes room.
  await page.keyboard.press("0");
  const from = await editor.nameOf("b");
  const to = await editor.at(3 * RATE, "t2", 16);
  await editor.drag(from, { x: from.x + (await wide(editor, 1)), y: to.y });
  await editor.saved();
  expect(await starts(editor, "t1")).toEqual([["c", 2.5]]);
  expect(await starts(editor, "t2")).toEqual([
    ["x", 1],
    ["b", 3],
    ["y", 3.5],
  ]);
});

test("a mode is lent to one drag while its key is held, and the mode line says so", async ({ page }) => {
  const editor = await small(page);
  const b = await editor.nameOf("b");
  await page.mouse.move(b.x, b.y);
  await page.mouse.down();
  await page.mouse.move(b.x + 20, b.y, { steps: 3 });
  await page.keyboard.down("2");
  await page.mouse.move(b.x + (await wide(editor, 0.5)), b.y, { steps: 3 });
  await expect(page.getByTestId("mode-line")).toContainText("move along");
  await page.mouse.up();
  await page.keyboard.up("2");
  await editor.saved();
  await expect(page.getByTestId("mode-line")).toContainText("stay put");
  const moved = (await editor.clip("b")).start - 2.5 * RATE;
  expect(moved).toBeGreaterThan(RATE / 3);
  expect((await editor.clip("c")).start).toBe(4 * RATE + moved);
  // One for neighbours and one for overlaps can be held together; each ends with its own key.
  await page.keyboard.down("2");
  await page.keyboard.down("7");
  await expect(page.getByTestId("mode-line")).toContainText(/move along.*cover/);
  await page.keyboard.up("7");
  await expect(page.getByTestId("mode-line")).toContainText("move along");
  await page.keyboard.up("2");
  await page.keyboard.press("1");
  await page.keyboard.press("6");
  // Tapped, a key sets the mode.
  await page.keyboard.press("3");
  await expect(page.getByTestId("mode-line")).toContainText("change places");
  await page.keyboard.press("7");
  await expect(page.getByTestId("mode-line")).toContainText("cover");
});

test("each drop asks for its place: typed for the end, confirmed as it is, or put back by Escape", async ({ page }) => {
  const editor = await small(page, { neighbours: "place", readOuts: ["time", "bars"] });
  const drop = async () => {
    const b = await editor.nameOf("b");
    await editor.drag(b, { x: b.x + (await wide(editor, 0.7)), y: b.y });
    return page.getByRole("dialog", { name: "Exact position" });
  };
  const field = await drop();
  await page.keyboard.press("Escape");
  await expect(field).toHaveCount(0);
  await editor.settle();
  expect((await editor.clip("b")).start).toBe(2.5 * RATE);

  await drop();
  await field.getByRole("radio", { name: "End" }).click();
  await field.getByLabel("Position").fill("00:07.250");
  await page.keyboard.press("Enter");
  await editor.saved();
  expect(clipEnd(await editor.clip("b"))).toBe(7.25 * RATE);

  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.clip("b")).start).toBe(2.5 * RATE);
  await drop();
  await field.getByRole("button", { name: "Place" }).click();
  await editor.saved();
  expect((await editor.clip("b")).start).toBeGreaterThan(3 * RATE);
});

test("Alt copies, fills by pulling an end, and below the tracks a drop makes a new one", async ({ page }) => {
  const editor = await small(page);
  const b = await editor.nameOf("b");
  await page.mouse.move(b.x, b.y);
  await page.mouse.down();
  await page.mouse.move(b.x + 30, b.y, { steps: 3 });
  await page.keyboard.down("Alt");
  const third = await editor.at(0, "t3", 16);
  await page.mouse.move(b.x + 40, third.y, { steps: 3 });
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await editor.saved();
  expect((await editor.clip("b")).start).toBe(2.5 * RATE);
  const [copy] = await editor.lane("t3");
  expect([copy.offset, copy.length]).toEqual([5 * RATE, RATE]);

  await page.keyboard.down("Alt");
  const end = await editor.at(clipEnd(copy) - 1, "t3", 50);
  await editor.drag(end, { x: end.x + (await wide(editor, 2.5)), y: end.y });
  await page.keyboard.up("Alt");
  await editor.saved();
  const row = await editor.lane("t3");
  expect(row).toHaveLength(4);
  expect(row[3].length).toBeLessThan(RATE);

  const a = await editor.nameOf("a");
  await editor.drag(a, { x: a.x, y: third.y + 160 });
  await editor.saved();
  const after = await editor.version();
  expect(after.tracks).toHaveLength(4);
  expect((await editor.lane(after.tracks[3].id)).map((c) => [c.id, c.start])).toEqual([["a", RATE]]);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).tracks.length).toBe(3);
});

test("a range is pulled out and taken away in one gesture, cleared, muted, repeated and closed, with the gaps in it", async ({ page }) => {
  const editor = await small(page);
  await editor.range(3 * RATE, 4.5 * RATE, "t1");
  const strip = await editor.at(3.2 * RATE, "t1", 12);
  const third = await editor.at(0, "t3", 12);
  await editor.drag(strip, { x: strip.x, y: third.y });
  await editor.saved();
  const t3 = await editor.lane("t3");
  expect(t3).toHaveLength(2);
  expect((await editor.lane("t1")).map((c) => c.id)).toEqual(["a", "b", expect.any(String)]);
  // The range went along: what is done next is done to what was pulled out.
  await page.keyboard.press("u");
  await editor.saved();
  expect((await editor.lane("t3")).every((c) => c.mute)).toBe(true);
  await page.keyboard.press("d");
  await editor.saved();
  const four = await editor.lane("t3");
  expect(four).toHaveLength(4);
  const by = four[2].start - four[0].start;
  expect(Math.abs(by - 1.5 * RATE)).toBeLessThan(2 * (await editor.samplesPerPixel()));
  expect(four[3].start - four[1].start).toBe(by);
  await page.keyboard.press("Shift+Delete");
  await editor.saved();
  expect(await editor.lane("t3")).toHaveLength(2);
});

test("tools: split in a straight stroke, equal parts, shift inside, stamp, erase; borrowed while the key is held", async ({ page }) => {
  const editor = await small(page);
  // A stroke over two tracks cuts both at one position.
  await page.keyboard.press("x");
  const over = await editor.at(1.4 * RATE, "t1", 40);
  const under = await editor.at(1.4 * RATE, "t2", 40);
  await editor.drag(over, { x: under.x + 25, y: under.y });
  await editor.saved();
  const [one, two] = [await editor.lane("t1"), await editor.lane("t2")];
  expect([one.length, two.length]).toEqual([4, 3]);
  expect(one[1].start).toBe(two[1].start);
  // With Alt: parts of the length from the clip's start to the click.
  await page.keyboard.down("Alt");
  const quarter = await editor.at(4.25 * RATE, "t1", 40);
  await page.mouse.click(quarter.x, quarter.y);
  await page.keyboard.up("Alt");
  await editor.saved();
  const parts = (await editor.lane("t1")).filter((c) => c.start >= 4 * RATE);
  expect(parts.length).toBeGreaterThanOrEqual(4);
  expect(new Set(parts.slice(0, -1).map((c) => c.length)).size).toBe(1);
  await page.keyboard.press("p");

  await page.keyboard.press("s");
  const inside = await editor.at(3 * RATE, "t1", 50);
  await editor.drag(inside, { x: inside.x + (await wide(editor, 0.25)), y: inside.y });
  await editor.saved();
  const shifted = await editor.clip("b");
  expect([shifted.start, shifted.length]).toEqual([2.5 * RATE, RATE]);
  expect(shifted.offset).toBeLessThan(5 * RATE - RATE / 5);

  // The stamp is borrowed: the tool before comes back.
  await page.keyboard.down("t");
  const y = await editor.at(4.5 * RATE, "t2", 50);
  await editor.drag(y, { x: y.x + (await wide(editor, 3)), y: y.y });
  await page.keyboard.up("t");
  await editor.saved();
  const stamped = (await editor.lane("t2")).filter((c) => c.start >= 4 * RATE);
  expect(stamped.map((c) => c.start / RATE)).toEqual([4, 5, 6, 7]);
  await expect(page.getByRole("button", { name: /^Shift inside/ })).toHaveAttribute("aria-pressed", "true");

  await page.keyboard.press("e");
  const first = await editor.at(5.5 * RATE, "t2", 50);
  await editor.drag(first, { x: first.x + (await wide(editor, 1)), y: first.y });
  await editor.saved();
  expect((await editor.lane("t2")).filter((c) => c.start >= 4 * RATE).map((c) => c.start / RATE)).toEqual([4, 7]);
});

test("a bundle is one object outside and open inside; a linked copy follows; released it is clips again", async ({ page }) => {
  const editor = await small(page);
  await editor.select("a", "b", "x");
  await page.keyboard.press("Control+b");
  await expect(page.getByTestId("selection")).toContainText("Bundle of 3 clips on 2 tracks");
  await page.keyboard.press("Escape");
  await editor.select("x");
  await expect(page.getByTestId("selection")).toContainText("Bundle of 3 clips");
  await page.keyboard.press("Control+d");
  await editor.saved();
  const version = await editor.version();
  expect(version.bundles).toHaveLength(2);
  const copy = version.bundles.find((b) => b.start > RATE);
  expect(copy?.pattern).not.toBeNull();

  // Opened by double click, one clip inside is shortened: the copy's is too.
  const a = await editor.nameOf("a");
  await page.mouse.dblclick(a.x, a.y);
  await expect(page.getByText("its linked copies follow")).toBeVisible();
  await editor.select("a");
  await expect(page.getByTestId("selection")).toContainText("1 clip");
  const edge = await editor.at(2 * RATE - 1, "t1", 50);
  await editor.drag(edge, { x: edge.x - (await wide(editor, 0.4)), y: edge.y });
  await editor.saved();
  const inner = (await editor.version()).clips.filter((c) => c.offset === 2 * RATE);
  expect(inner).toHaveLength(2);
  expect(inner[0].length).toBe(inner[1].length);
  expect(inner[0].length).toBeLessThan(0.8 * RATE);
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");
  await expect(page.getByText("its linked copies follow")).toHaveCount(0);

  // The whole moves by one name strip; then it is released.
  const grip = await editor.nameOf("x");
  await editor.drag(grip, { x: grip.x - 30, y: grip.y });
  await editor.saved();
  const shift = (await editor.clip("x")).start - RATE;
  expect(shift).toBeLessThan(0);
  expect((await editor.clip("b")).start).toBe(2.5 * RATE + shift);
  await page.keyboard.press("Control+Shift+b");
  await editor.saved();
  expect((await editor.version()).bundles).toHaveLength(1);
});

test("heads: one sweep over the solo buttons, order by drag, height, hide and show; the menu says each key", async ({ page }) => {
  const editor = await small(page);
  const solo = async (name: string) => {
    const box = await page.getByLabel(`Solo ${name}`).boundingBox();
    if (!box) throw new Error(name);
    return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  };
  const [one, three] = [await solo("One"), await solo("Three")];
  await page.mouse.move(one.x, one.y);
  await page.mouse.down();
  await page.mouse.move(one.x, three.y, { steps: 20 });
  await page.mouse.up();
  await editor.saved();
  expect((await editor.version()).tracks.map((t) => t.solo)).toEqual([true, true, true]);
  // Who is heard by itself is no step: the same sweep lets all be heard again.
  await page.mouse.move(one.x, one.y);
  await page.mouse.down();
  await page.mouse.move(one.x, three.y, { steps: 20 });
  await page.mouse.up();
  await expect.poll(async () => (await editor.version()).tracks.map((t) => t.solo)).toEqual([false, false, false]);

  const head = await page.locator("[data-track=t1]").boundingBox();
  if (!head) throw new Error("no head");
  await editor.drag({ x: head.x + 12, y: head.y + 60 }, { x: head.x + 12, y: head.y + 60 + 2.2 * head.height });
  await editor.saved();
  expect((await editor.version()).tracks.map((t) => t.id)).toEqual(["t2", "t3", "t1"]);

  const grip = await page.getByTestId("height-Two").boundingBox();
  if (!grip) throw new Error("no grip");
  await editor.drag({ x: grip.x + 40, y: grip.y + 3 }, { x: grip.x + 40, y: grip.y + 43 });
  await editor.saved();
  expect((await editor.version()).tracks[0].height).toBe(96 + 40);
  // Nor is how high a lane is: undo and redo are those of the order, and the height stays.
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).tracks.map((t) => t.id)).toEqual(["t1", "t2", "t3"]);
  await editor.drag({ x: grip.x + 40, y: grip.y + 3 + 96 }, { x: grip.x + 40, y: grip.y + 3 + 76 });
  await page.keyboard.press("Control+Shift+z");
  await expect.poll(async () => (await editor.version()).tracks.map((t) => t.id)).toEqual(["t2", "t3", "t1"]);
  await editor.saved();

  const second = await page.locator("[data-track=t2]").boundingBox();
  if (!second) throw new Error("no head");
  await editor.menu({ x: second.x + 60, y: second.y + second.height - 20 }, "Hide track");
  await expect(page.locator("[data-track=t2]")).toHaveCount(0);
  const left = await page.locator("[data-track=t3]").boundingBox();
  if (!left) throw new Error("no head");
  await page.mouse.click(left.x + 60, left.y + left.height - 20, { button: "right" });
  await expect(page.getByRole("menuitem", { name: "Select all on the track" })).toContainText("A");
  await page.getByRole("menuitem", { name: "Show Two" }).click();
  await expect(page.locator("[data-track=t2]")).toHaveCount(1);
});

test("a frame picks clips over tracks; all on a track and all to the right by key; the menus of clip, range and lane work", async ({ page }) => {
  const editor = await small(page);
  const from = await editor.at(0.5 * RATE, "t1", 30);
  const to = await editor.at(3 * RATE, "t2", 60);
  await page.keyboard.down("Control");
  await editor.drag(from, to);
  await page.keyboard.up("Control");
  await expect(page.getByTestId("selection")).toContainText("3 clips on 2 tracks");
  await editor.select("b");
  await page.keyboard.press("Shift+A");
  await expect(page.getByTestId("selection")).toContainText("2 clips");
  await page.keyboard.press("a");
  await expect(page.getByTestId("selection")).toContainText("3 clips");

  await editor.select("a");
  await page.keyboard.press("Control+c");
  await editor.menu(await editor.at(6 * RATE, "t3", 50), "Paste here");
  await editor.saved();
  const [pasted] = await editor.lane("t3");
  expect(Math.abs(pasted.start - 6 * RATE)).toBeLessThanOrEqual(await editor.samplesPerPixel());
  await editor.menu(await editor.at(2.9 * RATE, "t1", 50), "Split here");
  await editor.saved();
  expect(await editor.lane("t1")).toHaveLength(4);
  await editor.range(0.5 * RATE, 1.5 * RATE, "t1", "t2");
  await editor.menu(await editor.at(1.2 * RATE, "t2", 50), /^Silence/);
  await editor.saved();
  expect((await editor.lane("t2"))[0].start).toBeGreaterThan(1.4 * RATE);
});

test("modes belong to their version: another begins with the usual ones, a copy with these, and each is found as it was left", async ({
  page,
  context,
}) => {
  const editor = await small(page, { snapOn: true, neighbours: "hold" });
  const line = page.getByTestId("mode-line");
  await expect(line).toContainText("stay put");
  await page.keyboard.press("3");
  await page.keyboard.press("7");
  await expect(line).toContainText("cover");
  // Another project at once: what was just changed is told all the same.
  const other = await newProject();
  await page.goto(`/p/${other.projectId}`);
  await expect(line).toContainText("blend");
  await expect(line).not.toContainText("change places");
  await page.goto(`/p/${editor.projectId}`);
  await expect(line).toContainText("cover");
  await expect(line).toContainText("change places");
  // A new version from this one begins as it is, and goes its own way.
  const { body } = await api("POST", `/api/projects/${editor.projectId}/versions`, { name: "Short cut", from: editor.versionId });
  const second = await context.newPage();
  await second.goto(`/p/${editor.projectId}?version=${body.id}`);
  const theirs = second.getByTestId("mode-line");
  await expect(theirs).toContainText("cover");
  await second.keyboard.press("6");
  await expect(theirs).toContainText("lie over");
  await expect(line).toContainText("cover");
  // What is no mode is the browser's, and both tabs have it.
  const theme = (of: typeof page) => of.locator("html").getAttribute("data-theme");
  const before = await theme(page);
  await second.keyboard.press("Control+Shift+l");
  await expect.poll(() => theme(second)).not.toBe(before);
  await expect.poll(() => theme(page)).toBe(await theme(second));
  await expect(line).toContainText("cover");
  // None of it is a step.
  expect((await editor.onServer()).revision).toBe(1);
  await second.close();
});

test("a plain click moves nothing in any tool that drags, and a place that was not typed is exact", async ({ page }) => {
  const editor = await small(page, { snapOn: true, targets: ["grid"], neighbours: "place", readOuts: ["timecode", "bars"] });
  const before = await editor.version();
  for (const key of ["s", "Shift+W"]) {
    await page.keyboard.press(key);
    const inside = await editor.at(3.1 * RATE, "t1", 50);
    await page.mouse.move(inside.x, inside.y);
    await page.mouse.down();
    await page.mouse.move(inside.x + 2, inside.y + 1);
    await page.mouse.up();
  }
  await editor.settle();
  expect((await editor.version()).revision).toBe(before.revision);
  // Shown in frames, which can't tell where it was dropped: confirmed as it is, it lies just there.
  await page.keyboard.press("p");
  const b = await editor.nameOf("b");
  await page.keyboard.down("g");
  await editor.drag(b, { x: b.x + 101, y: b.y });
  await page.keyboard.up("g");
  const per = await editor.samplesPerPixel();
  await page.getByRole("dialog", { name: "Exact position" }).getByRole("button", { name: "Place" }).click();
  await editor.saved();
  expect(Math.abs((await editor.clip("b")).start - 2.5 * RATE - 101 * per)).toBeLessThanOrEqual(1);
});

test("keys held together count in a drag in every order, and nothing else does", async ({ page }) => {
  const editor = await small(page, { snapOn: true, targets: ["grid"], edgeFadeMs: 0, overlaps: "layer" });
  const panels = page.getByRole("dialog");
  const before = await editor.version();
  const b = await editor.nameOf("b");
  for (const keys of [
    ["Alt", "g"],
    ["g", "Alt"],
  ]) {
    const per = await editor.samplesPerPixel();
    await editor.drag(b, { x: b.x, y: b.y + 90 }, async () => {
      // Escape's way out: nothing was pressed yet that could be let go.
      for (const key of keys) await page.keyboard.down(key);
      await page.mouse.move(b.x + 37, b.y, { steps: 2 });
      await expect(panels).toHaveCount(0);
      // Keys that edit, open or choose a tool mean nothing while something is in the hand.
      for (const key of ["u", "Delete", "x", "Control+k"]) await page.keyboard.press(key);
    });
    for (const key of keys) await page.keyboard.up(key);
    await editor.saved();
    const copies = (await editor.version()).clips.filter((c) => !before.clips.some((old) => old.id === c.id));
    expect(copies).toHaveLength(1);
    expect(Math.abs(copies[0].start - 2.5 * RATE - 37 * per)).toBeLessThanOrEqual(1);
    await expect(panels).toHaveCount(0);
    await page.keyboard.press("Control+z");
    await editor.saved();
    expect((await editor.version()).clips).toHaveLength(before.clips.length);
  }
  // Shift keeps the direction; with the grid key beside it no panel opens either.
  await editor.drag(b, { x: b.x + 60, y: b.y }, async () => {
    await page.keyboard.down("Shift");
    await page.keyboard.down("g");
    await expect(panels).toHaveCount(0);
  });
  await page.keyboard.up("g");
  await page.keyboard.up("Shift");
  await editor.saved();
  expect((await editor.clip("b")).start).toBeGreaterThan(2.5 * RATE);
});

test("a quick stroke means all that lies between two places of the pointer; what is pasted out of sight is told", async ({ page }) => {
  const editor = await small(page);
  await page.keyboard.press("q");
  const [from, to] = [await editor.at(1.2 * RATE, "t1", 50), await editor.at(4.8 * RATE, "t1", 50)];
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(to.x, to.y);
  await page.mouse.up();
  await editor.saved();
  expect((await editor.lane("t1")).map((c) => c.mute)).toEqual([true, true, true]);
  const solo = async (name: string) => {
    const box = await page.getByLabel(`Solo ${name}`, { exact: true }).boundingBox();
    if (!box) throw new Error("no switch");
    return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  };
  const [first, last] = [await solo("One"), await solo("Three")];
  await page.mouse.move(first.x, first.y);
  await page.mouse.down();
  await page.mouse.move(last.x, last.y);
  await page.mouse.up();
  await editor.saved();
  expect((await editor.version()).tracks.map((t) => t.solo)).toEqual([true, true, true]);
  await page.keyboard.press("p");
  await editor.select("x");
  await page.keyboard.press("Control+c");
  const { revision } = await editor.version();
  await api("POST", `/api/versions/${editor.versionId}/edits`, { revision, edits: [{ type: "set-track", trackIds: ["t2"], hidden: true }] });
  await expect(page.getByLabel("Solo Two", { exact: true })).toHaveCount(0);
  await page.keyboard.press("Control+v");
  await expect(page.getByText("Pasted onto Two, which is hidden.")).toBeVisible();
  await page.getByRole("button", { name: "Show", exact: true }).click();
  await expect(page.getByLabel("Solo Two", { exact: true })).toBeVisible();
});

test("what an edit laid is selected, and not what it cut; undo brings back the selection and the range of before", async ({ page }) => {
  const editor = await small(page, { overlaps: "cover" });
  const selected = async () => (await page.getByTestId("selection").textContent()) ?? "";
  await editor.select("x");
  await page.keyboard.press("Control+c");
  // Pasted into the middle of another clip, which is cut in two.
  const at = await editor.rulerAt(2.7 * RATE);
  await page.mouse.click(at.x, at.y);
  await editor.chooseTrack("One");
  await page.keyboard.press("Control+v");
  await editor.saved();
  await page.keyboard.press("Alt+ArrowRight");
  await editor.saved();
  const raised = (await editor.version()).clips.filter((c) => c.gain !== 0);
  expect(raised).toHaveLength(1);
  expect(["a", "b", "c", "x", "y"]).not.toContain(raised[0].id);
  expect(raised[0].offset).toBe(11 * RATE);
  await editor.select("c");
  await page.keyboard.press("Alt+ArrowRight");
  await editor.saved();
  await editor.select("y");
  expect(await selected()).toContain("y");
  await page.keyboard.press("Control+z");
  await editor.saved();
  await expect.poll(selected).toMatch(/\bc\b/);
  // A range that a step moved or took along is where it was.
  await editor.range(1.2 * RATE, 1.6 * RATE, "t1");
  const range = await selected();
  await page.keyboard.press("d");
  await editor.saved();
  expect(await selected()).not.toBe(range);
  await page.keyboard.press("Control+z");
  await expect.poll(selected).toBe(range);
});
