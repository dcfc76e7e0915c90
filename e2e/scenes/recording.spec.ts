import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import pg from "pg";
import { addSource, api, BASE, newProject, noise, until, wavFile } from "../client";
import { EditorPage } from "../editor";
import { type BrowserContext, expect, type Page, test } from "../scene";
import { Fingers } from "../touch";

const RATE = 48_000;
const TEMPO = 92;

/** A project with tracks, and how this browser records. */
async function studio(page: Page, { rate = RATE, recording = {}, settings = {} } = {}) {
  const made = await newProject(rate);
  const edits = ["Loom", "Guide"].map((name) => ({ type: "add-track", id: name.toLowerCase(), name }));
  await api("POST", `/api/versions/${made.versionId}/edits`, { revision: 0, edits });
  await page.addInitScript(
    (state) => {
      if (!localStorage.getItem("wet-thread recording")) localStorage.setItem("wet-thread recording", JSON.stringify({ state, version: 0 }));
    },
    { countInBars: 0, ...recording },
  );
  return { ...made, editor: await EditorPage.open(page, made, { snapOn: false, edgeFadeMs: 0, ...settings }) };
}

const status = (page: Page) => page.getByTestId("recording");
const arm = (page: Page, name: string) => page.getByLabel(`Arm ${name}`, { exact: true }).click();
/** The browser's own first input for a track, beside the stand-in. */
async function chooseBrowsersInput(page: Page, editor: EditorPage, track: string): Promise<void> {
  await page.getByRole("tab", { name: "Track" }).click();
  await editor.chooseTrack(track);
  await page.getByRole("button", { name: "Look for inputs" }).click();
  const input = page.getByLabel("Input", { exact: true });
  await expect.poll(() => input.locator("option").count()).toBeGreaterThan(1);
  await input.selectOption({ index: 1 });
}
/** Seconds that have been recorded. */
const recorded = async (page: Page): Promise<number> => Number((await status(page).textContent())?.match(/([\d.]+) s/)?.[1] ?? 0);
const untilRecorded = (page: Page, seconds: number) =>
  expect.poll(() => recorded(page), { timeout: 30_000, intervals: [100] }).toBeGreaterThan(seconds);

async function record(page: Page, seconds: number): Promise<void> {
  await page.keyboard.press("*");
  await untilRecorded(page, seconds);
  await page.keyboard.press("*");
  await expect(status(page)).toHaveCount(0, { timeout: 30_000 });
}

/** The first channel of a recording. */
async function samplesOf(sourceId: string): Promise<Float32Array> {
  const { length, channels } = (await api("GET", `/api/sources/${sourceId}`)).body;
  const out = new Float32Array(length);
  for (let index = 0; index * 65_536 < length; index++) {
    const chunk = new Float32Array(await (await fetch(`${BASE}/api/sources/${sourceId}/pcm?chunk=${index}`)).arrayBuffer());
    out.set(chunk.subarray(0, chunk.length / channels), index * 65_536);
  }
  return out;
}

/** How far each click that a clip plays lies from its beat, in samples. */
async function clicksOff(clip: Pick<Clip, "sourceId" | "start" | "offset" | "length">, rate: number): Promise<number[]> {
  const x = await samplesOf(clip.sourceId);
  const beat = (rate * 60) / TEMPO;
  const off: number[] = [];
  for (let n = Math.ceil(clip.start / beat); Math.round(n * beat) < clip.start + clip.length - rate / 100; n++) {
    const due = Math.round(n * beat) - clip.start + clip.offset;
    const from = Math.max(0, due - Math.round(beat / 3));
    const near = x.subarray(from, due + Math.round(beat / 3)).map(Math.abs);
    off.push(from + near.indexOf(Math.max(...near)) - due);
  }
  return off;
}

for (const [rate, delayMs] of [
  [44_100, 3.7],
  [48_000, 0],
  [96_000, 143.21],
] as const)
  test(`what is recorded lies where it was played to, to the sample, at ${rate} Hz through ${delayMs} ms`, { tag: "@alone" }, async ({ page }) => {
    const { editor } = await studio(page, { rate, recording: { standIn: { kind: "click", delayMs } } });
    await arm(page, "Loom");
    await record(page, 3);
    const [clip] = (await editor.version()).clips;
    expect(clip).toMatchObject({ trackId: "loom", start: 0, name: "Loom take 1" });
    expect(clip.length).toBeGreaterThan(2.5 * rate);
    const off = await clicksOff(clip, rate);
    expect(off.length).toBeGreaterThan(3);
    expect(off.filter((n) => n !== 0)).toEqual([]);
    // The browser's own way of counting agrees: the sound that is sent out comes in so much later.
    await page.getByRole("tab", { name: "Track" }).click();
    await editor.chooseTrack("Loom");
    await page.getByRole("button", { name: "Measure" }).click();
    await expect(page.getByText(`Round trip of The stand-in: ${Math.round((delayMs * rate) / 1000)} samples`)).toBeVisible({ timeout: 20_000 });
  });

test("scene 20, three rounds at the loom: each round a take, clicks on the beat, picked by sweeping, flattened, and all there after undo", {
  tag: "@alone",
}, async ({ page }) => {
  const { editor } = await studio(page, { recording: { countInBars: 1 } });
  const bar = Math.round((4 * RATE * 60) / TEMPO);
  const looped = await api("POST", `/api/versions/${editor.versionId}/edits`, {
    revision: 1,
    edits: [{ type: "set-loop", loop: { start: bar, end: 2 * bar, on: true } }],
  });
  expect(looped.status).toBe(200);
  await expect(page.getByRole("button", { name: "Loop", exact: true })).toHaveAttribute("aria-pressed", "true");
  await arm(page, "Loom");
  await page.keyboard.press("*");
  await expect(status(page)).toHaveAttribute("data-phase", "counting");
  await expect(status(page)).toHaveAttribute("data-phase", "on", { timeout: 15_000 });
  await untilRecorded(page, 3.4 * (bar / RATE));
  await page.keyboard.press("*");
  await expect(status(page)).toHaveCount(0, { timeout: 30_000 });
  const { clips, bundles = [] } = await editor.version();
  const [stack] = bundles;
  expect(stack.takes?.length).toBe(4);
  expect(stack.takes?.map((l) => l.name)).toEqual([1, 2, 3, 4].map((n) => `Loom take 1, round ${n}`));
  for (const lane of stack.takes?.slice(0, 3) ?? []) {
    expect(lane.clips.map((c) => [c.at, c.length])).toEqual([[0, bar]]);
    expect((await clicksOff({ ...lane.clips[0], start: bar }, RATE)).filter((n) => n !== 0)).toEqual([]);
  }
  // The last whole round is heard, the one that was broken off waits.
  expect(clips.map((c) => [c.start, c.length, stack.takes?.findIndex((l) => l.id === c.take)])).toEqual([[bar, bar, 2]]);

  await page.keyboard.press("Escape");
  await editor.show(0, 3 * bar);
  const on = await editor.at(bar + bar / 2, "loom");
  await page.mouse.click(on.x, on.y);
  // The lanes have opened by themselves.
  const panel = page.getByRole("region", { name: "Takes" });
  await expect(panel.getByRole("listitem")).toHaveCount(4);
  const lane = panel.getByTestId(`lane-${stack.takes?.[0].id}`);
  const box = await lane.boundingBox();
  const view = await editor.view();
  if (!box) throw new Error("no lane");
  const x = (at: number): number => box.x + (at - view.start) / view.per;
  await page.mouse.move(x(bar * 1.25), box.y + 20);
  await page.mouse.down();
  await page.mouse.move(x(bar * 1.5), box.y + 20, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await editor.version()).clips.map((c) => stack.takes?.findIndex((l) => l.id === c.take))).toEqual([2, 0, 2]);
  const picked = (await editor.version()).clips;
  // Blended by themselves, both borders.
  expect(picked.filter((c) => c.blend)).toHaveLength(2);
  await panel.getByRole("button", { name: "Flatten" }).click();
  await expect.poll(async () => (await editor.version()).bundles?.length ?? 0).toBe(0);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).bundles?.[0]?.takes?.length).toBe(4);
  expect((await editor.version()).clips).toEqual(picked);
});

test("a phrase of a take stack is recorded anew: two bars before it are heard, just it is kept, it is a take of the stack and is picked", {
  tag: "@alone",
}, async ({ page }) => {
  const { editor, projectId } = await studio(page, { settings: { neighbours: "ripple" } });
  // Phrases of a second with pauses between them, said twice; the third begins in the tenth second, after more than two bars.
  const said = (seed: number) => noise(12 * RATE, seed).map((v, i) => (Math.floor(i / RATE) % 3 === 0 ? v * 0.5 : 0));
  const sources = await Promise.all([1, 2].map((n) => addSource(projectId, wavFile([said(n)]), `Said ${n}.wav`)));
  const laid = await api("POST", `/api/versions/${editor.versionId}/edits`, {
    revision: 1,
    edits: [
      ...sources.map((s, i) => ({ type: "add-clip", id: `c${i}`, trackId: "loom", sourceId: s.id, start: 0, overlap: "layer" })),
      { type: "stack-takes", clipIds: ["c0", "c1"], border: 0 },
    ],
  });
  expect(laid.status).toBe(200);
  await expect(page.getByTestId("save-state")).toHaveAttribute("data-revision", "2");
  await page.keyboard.press("w");
  await page.keyboard.press("Alt+e");
  const ruler = await editor.rulerAt(9.5 * RATE);
  await page.mouse.click(ruler.x, ruler.y);
  await editor.chooseTrack("Loom");
  await page.getByRole("button", { name: "Record the phrase" }).click();
  await expect(status(page)).toHaveAttribute("data-phase", "counting");
  // Two bars of 92: a little over five seconds before the phrase.
  const twoBars = (8 * 60) / TEMPO;
  const ear = () => page.evaluate(() => Number(document.querySelector("[data-testid=playhead]")?.getBoundingClientRect().left));
  const x0 = await ear();
  expect((x0 - (await editor.view()).box.x) * (await editor.samplesPerPixel())).toBeLessThan((9 - twoBars + 2) * RATE);
  await expect(status(page)).toHaveAttribute("data-phase", "on", { timeout: 15_000 });
  await expect(status(page)).toHaveCount(0, { timeout: 30_000 });
  const { clips, bundles = [] } = await editor.version();
  const [stack] = bundles;
  expect(stack.takes?.length).toBe(3);
  expect(stack.takes?.[2].name).toBe("Loom take 1");
  const [take] = stack.takes?.at(2)?.clips ?? [];
  const inOrder = clips.sort((a, b) => a.start - b.start);
  const punched = inOrder.find((c) => c.take === stack.takes?.at(2)?.id);
  // Where it is picked it lies just where the phrase was, up to the middle of the pauses; nothing was moved along.
  const next = inOrder.find((c) => c.blend?.with === punched?.id);
  expect([punched?.blend?.splice, next?.blend?.splice]).toEqual([stack.start + take.at, stack.start + take.at + take.length]);
  expect(take.at / RATE).toBeGreaterThan(7.9);
  expect(take.at / RATE).toBeLessThan(9.01);
  expect((take.at + take.length) / RATE).toBeGreaterThan(9.98);
  expect((take.at + take.length) / RATE).toBeLessThan(11.1);
  expect(clipEnd(inOrder[inOrder.length - 1])).toBe(12 * RATE);
  // One undo, and the stack is as it was.
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).bundles?.[0].takes?.length).toBe(2);
});

test("punched into a range, with what was there heard up to it and covered in it; hidden sound can be pulled out; undo brings all back", {
  tag: "@alone",
}, async ({ page }) => {
  const { editor, projectId } = await studio(page, { recording: { preRollMs: 500 }, settings: { overlaps: "cover" } });
  const source = await addSource(projectId, wavFile([noise(6 * RATE, 3)]), "Old.wav");
  await api("POST", `/api/versions/${editor.versionId}/edits`, {
    revision: 1,
    edits: [{ type: "add-clip", id: "old", trackId: "loom", sourceId: source.id, start: 0 }],
  });
  await expect.poll(async () => (await editor.version()).clips.length).toBe(1);
  await page.keyboard.press("w");
  await page.keyboard.press("r");
  const [a, b] = [await editor.at(2 * RATE, "loom", 60), await editor.at(3 * RATE, "loom", 60)];
  await editor.drag(a, b);
  await arm(page, "Loom");
  await page.keyboard.press("*");
  // It ends by itself.
  await expect(status(page)).toBeVisible();
  await expect(status(page)).toHaveCount(0, { timeout: 30_000 });
  const clips = (await editor.version()).clips.sort((x, y) => x.start - y.start);
  expect(clips).toHaveLength(3);
  const [left, punched, right] = clips;
  expect([left.sourceId, left.start, left.offset]).toEqual([source.id, 0, 0]);
  expect(clipEnd(left)).toBe(punched.start);
  expect(clipEnd(punched)).toBe(right.start);
  expect(right.offset).toBe(right.start);
  expect(Math.abs(punched.start - 2 * RATE)).toBeLessThan(0.05 * RATE);
  // Half a second before it came in too.
  expect(punched.offset).toBeGreaterThan(0.5 * RATE);
  expect((await clicksOff(punched, RATE)).filter((n) => n !== 0)).toEqual([]);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await editor.version()).clips.map((c) => [c.id, c.start, c.length])).toEqual([["old", 0, 6 * RATE]]);
});

test("while the server is away the page keeps what comes, and sends it when it is back: not a sample is missing", { tag: "@alone" }, async ({
  page,
}) => {
  const { editor } = await studio(page);
  await arm(page, "Loom");
  await page.keyboard.press("*");
  await untilRecorded(page, 0.6);
  await page.route("**/api/recordings/**", (route) => route.abort());
  await expect(status(page)).toContainText("kept in this page", { timeout: 20_000 });
  await untilRecorded(page, 0.1);
  // It comes back, but its disk is full: that is said, and nothing is lost either.
  await page.unroute("**/api/recordings/**");
  await expect(status(page)).not.toContainText("kept in this page", { timeout: 20_000 });
  const full = { error: "disk-full", message: "The disk is full. Nothing was changed." };
  await page.route("**/api/recordings/**", (route) => route.fulfill({ status: 507, json: full }));
  await expect(status(page)).toContainText("The disk is full", { timeout: 20_000 });
  await page.unroute("**/api/recordings/**");
  await expect(status(page)).not.toContainText("kept in this page", { timeout: 20_000 });
  await page.keyboard.press("*");
  await expect(status(page)).toHaveCount(0, { timeout: 30_000 });
  const [clip] = (await editor.version()).clips;
  const off = await clicksOff(clip, RATE);
  expect(off.length).toBeGreaterThan(1);
  expect(off.filter((n) => n !== 0)).toEqual([]);
});

/** Takes the one recording of a project once it is there. */
const onlySource = async (projectId: string) =>
  (
    await until(
      () => api("GET", `/api/projects/${projectId}`),
      ({ body }) => body.sources.length === 1 && body.sources[0].status === "ready",
    )
  ).body.sources[0];

test("a tab that is closed in the midst of a take costs at most a second, and what came is laid", { tag: "@alone" }, async ({ page, context }) => {
  const { projectId, editor } = await studio(page);
  await arm(page, "Loom");
  await page.keyboard.press("*");
  await untilRecorded(page, 2);
  const before = await recorded(page);
  await page.close({ runBeforeUnload: false });
  const source = await onlySource(projectId);
  expect(source.length / RATE).toBeGreaterThan(before - 1);
  await until(
    () => api("GET", `/api/versions/${editor.versionId}`),
    ({ body }) => body.clips.length === 1,
  );
  await context.close();
});

async function crash(page: Page, context: BrowserContext): Promise<void> {
  const session = await context.newCDPSession(page);
  const gone = page.waitForEvent("crash");
  session.send("Page.crash").catch(() => {});
  await gone;
}

test("what a page elsewhere left, with its web server killed too, is told at the next start, and taken in as it is", async ({ page }) => {
  const { projectId, versionId } = await newProject(RATE);
  await api("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits: [{ type: "add-track", id: "t", name: "Loom" }] });
  const begun = await api("POST", `/api/versions/${versionId}/recordings`, { tracks: [{ trackId: "t" }] });
  const sound = noise(1.5 * RATE, 4);
  expect((await api("PATCH", `/api/recordings/${begun.body.id}?from=0`, new Uint8Array(sound.buffer))).status).toBe(200);
  const database = new pg.Client({ connectionString: process.env.DATABASE_URL });
  await database.connect();
  await database.query("update recordings set alive_at = now() - interval '3 minutes' where id = $1", [begun.body.id]);
  await database.end();
  await EditorPage.open(page, { projectId, versionId });
  await expect(page.getByText("A page elsewhere recorded 1.5 s on Loom, and was not heard of for 3 minutes.")).toBeVisible();
  await page.getByRole("button", { name: "Take in what came" }).click();
  await expect(page.getByText("1.5 s of it were kept")).toBeVisible();
  expect((await onlySource(projectId)).length).toBe(1.5 * RATE);
});

test("a page that breaks in the midst of a take: the next one takes in what had come, and says so", { tag: "@alone" }, async ({ page, context }) => {
  const { projectId } = await studio(page);
  await arm(page, "Loom");
  await page.keyboard.press("*");
  await untilRecorded(page, 2);
  const before = await recorded(page);
  await crash(page, context);
  const next = await context.newPage();
  // The other page is known to be gone once it was not heard of for two seconds.
  await expect
    .poll(
      async () => {
        await next.goto(`/p/${projectId}`);
        return next
          .getByText("were kept")
          .waitFor({ timeout: 4000 })
          .then(() => true)
          .catch(() => false);
      },
      { timeout: 40_000 },
    )
    .toBe(true);
  const source = await onlySource(projectId);
  expect(source.length / RATE).toBeGreaterThan(before - 1);
  expect(source.name).toBe("Loom take 1");
});

test("two pages don't record onto one track: the second is told, and nothing of it begins", { tag: "@alone" }, async ({ page, context }) => {
  const { projectId } = await studio(page);
  await arm(page, "Loom");
  await page.keyboard.press("*");
  await untilRecorded(page, 0.3);
  const other = await context.newPage();
  await other.goto(`/p/${projectId}`);
  await arm(other, "Loom");
  await other.keyboard.press("*");
  await expect(other.getByText("Another page is recording on Loom")).toBeVisible({ timeout: 15_000 });
  await expect(status(other)).toHaveCount(0);
  await expect(status(page)).toHaveAttribute("data-phase", "on");
  await page.keyboard.press("*");
  await expect(status(page)).toHaveCount(0, { timeout: 30_000 });
});

test("from an input of the browser beside the stand-in; one that is refused, not there or gone is said, and what came is kept", {
  tag: "@alone",
}, async ({ page }) => {
  await page.addInitScript(() => {
    const { mediaDevices } = navigator;
    const real = mediaDevices.getUserMedia.bind(mediaDevices);
    const scope = window as unknown as { refuse?: string; stream?: MediaStream };
    mediaDevices.getUserMedia = async (wanted) => {
      if (scope.refuse) throw new DOMException("no", scope.refuse);
      scope.stream = await real(wanted);
      return scope.stream;
    };
  });
  const { editor } = await studio(page);
  await chooseBrowsersInput(page, editor, "Guide");
  const refuse = (name: string | undefined) =>
    page.evaluate((name) => {
      (window as unknown as { refuse?: string }).refuse = name;
    }, name);
  for (const [name, words] of [
    ["NotAllowedError", "does not let this page listen"],
    ["NotFoundError", "is not there"],
    ["NotReadableError", "another program may hold it"],
  ]) {
    await refuse(name);
    await arm(page, "Guide");
    await expect(page.getByText(words)).toBeVisible();
    await arm(page, "Guide");
  }
  await refuse(undefined);
  await arm(page, "Loom");
  await arm(page, "Guide");
  await page.keyboard.press("*");
  await untilRecorded(page, 2);
  await page.evaluate(() => {
    const [track] = (window as unknown as { stream: MediaStream }).stream.getAudioTracks();
    track.dispatchEvent(new Event("ended"));
  });
  await expect(page.getByText("is gone")).toBeVisible();
  await expect(status(page)).toHaveCount(0, { timeout: 30_000 });
  const { clips } = await editor.version();
  expect(clips.map((c) => c.trackId).sort()).toEqual(["guide", "loom"]);
  for (const clip of clips) {
    const x = await samplesOf(clip.sourceId);
    expect(Math.max(...x.map(Math.abs))).toBeGreaterThan(0.05);
  }
  expect((await clicksOff(clips.find((c) => c.trackId === "loom") as Clip, RATE)).filter((n) => n !== 0)).toEqual([]);
});

test("recorded while the armed input is still being opened: it is opened once, and what comes in is recorded", { tag: "@alone" }, async ({
  page,
}) => {
  await page.addInitScript(() => {
    const { mediaDevices } = navigator;
    const real = mediaDevices.getUserMedia.bind(mediaDevices);
    const scope = window as unknown as { asked: number; wait: Promise<void>; open: () => void };
    scope.asked = 0;
    scope.wait = new Promise((open) => {
      scope.open = open;
    });
    mediaDevices.getUserMedia = async (wanted) => {
      // The first is only asked for so that the inputs have names.
      if (scope.asked++ > 0) await scope.wait;
      return real(wanted);
    };
  });
  const { editor } = await studio(page);
  const asked = () => page.evaluate(() => (window as unknown as { asked: number }).asked);
  await chooseBrowsersInput(page, editor, "Guide");
  await arm(page, "Guide");
  await expect.poll(asked).toBe(2);
  await page.keyboard.press("*");
  // It is in the midst of beginning, and says so.
  await page.keyboard.press("*");
  await expect(page.getByText("Recording is just beginning.")).toBeVisible();
  await page.evaluate(() => (window as unknown as { open: () => void }).open());
  await untilRecorded(page, 1.5);
  await page.getByRole("tab", { name: "Sources" }).click();
  await expect(page.getByRole("list", { name: "Being recorded" }).getByRole("listitem")).toContainText(/Guide.*[1-9]/);
  expect(await asked()).toBe(2);
  await page.keyboard.press("*");
  await expect(status(page)).toHaveCount(0, { timeout: 30_000 });
  const { clips } = await editor.version();
  expect(clips.map((c) => c.trackId)).toEqual(["guide"]);
  expect((await samplesOf(clips[0].sourceId)).reduce((most, v) => Math.max(most, Math.abs(v)), 0)).toBeGreaterThan(0.05);
});

test("stopped while it is counted in nothing is recorded, and without an armed track it says what to do", { tag: "@alone" }, async ({ page }) => {
  const { editor, projectId } = await studio(page, { recording: { countInBars: 2 } });
  await page.keyboard.press("*");
  await expect(page.getByText("Arm a track first")).toBeVisible();
  await editor.chooseTrack("Loom");
  await page.keyboard.press("Shift+E");
  await expect(page.getByLabel("Arm Loom", { exact: true })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("*");
  await expect(status(page)).toHaveAttribute("data-phase", "counting");
  await page.keyboard.press(" ");
  await expect(page.getByText("nothing was recorded")).toBeVisible();
  await expect(status(page)).toHaveCount(0);
  expect((await editor.version()).clips).toEqual([]);
  expect((await api("GET", `/api/projects/${projectId}`)).body.sources).toEqual([]);
  expect((await api("GET", `/api/versions/${editor.versionId}/recordings`)).body.recordings).toEqual([]);
});

test.describe("with a finger", () => {
  test.use({ hasTouch: true });
  test("two tracks are armed by one sweep over their switches, and both are recorded", { tag: "@alone" }, async ({ page }) => {
    const { editor } = await studio(page, { recording: { standIn: { kind: "click", delayMs: 5 } } });
    const touch = await Fingers.on(page);
    const middle = async (name: string) => {
      const box = await page.getByLabel(name, { exact: true }).boundingBox();
      if (!box) throw new Error(`nothing called ${name}`);
      return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
    };
    await touch.drag([await middle("Arm Loom"), await middle("Arm Guide")]);
    for (const name of ["Loom", "Guide"]) await expect(page.getByLabel(`Arm ${name}`, { exact: true })).toHaveAttribute("aria-pressed", "true");
    await record(page, 1.5);
    const { clips } = await editor.version();
    expect(clips.map((c) => c.trackId).sort()).toEqual(["guide", "loom"]);
    for (const clip of clips) expect((await clicksOff(clip, RATE)).every((off) => off === 0)).toBe(true);
  });
});
