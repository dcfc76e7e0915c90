// The rows that drive the real page in Chromium: opening, drawing, playing, memory.
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { type BrowserContext, chromium, type Page } from "@playwright/test";
import { loadLargePiece, loadLongNight, loadManyTracks, loadTakes } from "./load";
import { p95, type Row } from "./rows";
import { BASE, call } from "./server";

const ARGS = [
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
  "--autoplay-policy=no-user-gesture-required",
  "--js-flags=--expose-gc",
  "--enable-precise-memory-info",
];

/** Hours of the long recording; fewer for a quick look. */
const HOURS = Number(process.env.WET_THREAD_BENCH_HOURS ?? 4);

const profiles = new Set<BrowserContext>();

/** A page in a browser with a profile on the disk, as people have one: what the application's code was compiled to lasts from one opening to the next. */
export async function openPage(): Promise<Page> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-bench-"));
  const context = await chromium.launchPersistentContext(folder, {
    executablePath: "/usr/bin/chromium",
    args: ARGS,
    viewport: { width: 1280, height: 800 },
  });
  profiles.add(context);
  context.once("close", () => {
    profiles.delete(context);
    fs.rmSync(folder, { recursive: true, force: true });
  });
  // The compiler that runs the bench gives functions their names by a helper that the page does not have.
  await context.addInitScript("globalThis.__name = (f) => f");
  return context.pages()[0];
}

/** Leaves no browser behind, however the work ends. */
export async function withPages<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } finally {
    for (const context of profiles) await context.close();
  }
}

const drawn = (page: Page): Promise<unknown> =>
  page.waitForFunction(() => document.querySelector<HTMLElement>("[data-testid=lanes]")?.dataset.samplesPerPixel !== undefined);

/** From the address to a timeline that is drawn and answers a key. */
export async function openTime(page: Page, projectId: string): Promise<number> {
  await page.goto("about:blank");
  const start = performance.now();
  await page.goto(`${BASE}/p/${projectId}`, { waitUntil: "commit" });
  await drawn(page);
  const before = await page.getByTestId("lanes").getAttribute("data-samples-per-pixel");
  await page.keyboard.press("+");
  await page.waitForFunction((old) => document.querySelector<HTMLElement>("[data-testid=lanes]")?.dataset.samplesPerPixel !== old, before);
  return performance.now() - start;
}

/** The median of five openings, after one in which the browser gets to know the page. */
export async function openRow(page: Page, projectId: string, name: string, what: string): Promise<Row> {
  await openTime(page, projectId);
  const times: number[] = [];
  for (let i = 0; i < 5; i++) times.push(await openTime(page, projectId));
  times.sort((a, b) => a - b);
  return { name, value: times[2], unit: `ms, median of 5 (${times.map(Math.round).join(", ")}), ${what}`, budget: "< 2000" };
}

/** While something moves: milliseconds of the page's own work in each frame, drawing and all, and from one frame to the next. */
async function frames(page: Page, what: "pan" | "zoom", count: number): Promise<{ gaps: number[]; work: number[] }> {
  const box = await page.getByTestId("lanes").boundingBox();
  if (!box) throw new Error("no lanes");
  return page.evaluate(
    ({ what, count, x, y }) =>
      new Promise<{ gaps: number[]; work: number[] }>((done) => {
        const lanes = document.querySelector<HTMLElement>("[data-testid=lanes]") as HTMLElement;
        const gaps: number[] = [];
        const work: number[] = [];
        const own = window.requestAnimationFrame.bind(window);
        let spent = 0;
        // Whatever the page does in its frames is timed.
        window.requestAnimationFrame = (call) =>
          own((t) => {
            const begun = performance.now();
            call(t);
            spent += performance.now() - begun;
          });
        let last = 0;
        let n = 0;
        const step = (): void => {
          const now = performance.now();
          if (last) {
            gaps.push(now - last);
            work.push(spent);
          }
          last = now;
          spent = 0;
          if (n++ === count) {
            window.requestAnimationFrame = own;
            return done({ gaps, work });
          }
          const turn = what === "pan" ? { deltaX: n % 40 < 20 ? 30 : -30 } : { deltaY: n % 40 < 20 ? -20 : 20, ctrlKey: true };
          const begun = performance.now();
          lanes.dispatchEvent(new WheelEvent("wheel", { ...turn, clientX: x, clientY: y, bubbles: true, cancelable: true }));
          spent += performance.now() - begun;
          own(step);
        };
        own(step);
      }),
    { what, count, x: box.x + box.width / 2, y: box.y + box.height / 2 },
  );
}

/** Frames in which the page's code is still being compiled and peaks still come. */
const WARMING = 80;

export async function frameRows(page: Page, piece: string): Promise<Row[]> {
  const rows: Row[] = [];
  const row = (what: string, name: string, of: number[], unit: string, budget = "–"): void =>
    void rows.push({ name: `${what}, ${name}, ${piece}`, value: p95(of), unit, budget });
  for (const what of ["pan", "zoom"] as const) {
    const { gaps, work } = await frames(page, what, WARMING + 160);
    const own = "ms p95 of the page's work a frame";
    row("draw.frame", what, work.slice(WARMING), own, "< 16");
    row("first frames", what, work.slice(0, WARMING), own);
    row("frame to frame", what, gaps.slice(WARMING), "ms p95, the browser's own work included");
  }
  return rows;
}

async function megabytes(page: Page): Promise<number> {
  const client = await page.context().newCDPSession(page);
  await client.send("HeapProfiler.collectGarbage");
  const { usedSize } = (await client.send("Runtime.getHeapUsage")) as { usedSize: number };
  const whole = await page.evaluate(async () => {
    const measure = (performance as unknown as { measureUserAgentSpecificMemory?: () => Promise<{ bytes: number }> }).measureUserAgentSpecificMemory;
    return measure ? (await measure.call(performance)).bytes : 0;
  });
  return Math.max(usedSize, whole) / 1e6;
}

/** All tracks low and the whole piece wide, with their peaks. */
export async function lowAndWide(page: Page): Promise<void> {
  await page.keyboard.press("w");
  for (let i = 0; i < 4; i++) await page.keyboard.press("Shift+ArrowDown");
  await page.waitForTimeout(3000);
}

async function largeRows(): Promise<Row[]> {
  const { projectId } = await loadLargePiece();
  const page = await openPage();
  const rows = [await openRow(page, projectId, "open.large", "20,000 clips")];
  await lowAndWide(page);
  rows.push(...(await frameRows(page, "200 × 100 clips")));
  rows.push({ name: "page.memory, large", value: await megabytes(page), unit: "MB", budget: "< 600" });
  await page.context().close();
  // As many lanes as are seen at once, with 600 clips each: 10,200 in view.
  const dense = await loadLargePiece(17, 600);
  const other = await openPage();
  await openTime(other, dense.projectId);
  await lowAndWide(other);
  rows.push(...(await frameRows(other, "10,200 clips in view")));
  await other.context().close();
  return rows;
}

/** The space bar again and again: from each press until the first sample is in the ring. */
async function startRows(page: Page): Promise<Row> {
  const times = await page.evaluate(async () => {
    const { counters, flags } = (window as unknown as { wetThreadRing: { counters: BigInt64Array; flags: Int32Array } }).wetThreadRing;
    const press = (): boolean =>
      document.body.dispatchEvent(new KeyboardEvent("keydown", { key: " ", code: "Space", bubbles: true, cancelable: true }));
    const pause = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));
    const list: number[] = [];
    for (let i = 0; i < 21; i++) {
      const begun = performance.now();
      press();
      while (performance.now() - begun < 5000 && !(Atomics.load(flags, 0) === 1 && Atomics.load(counters, 1) > Atomics.load(counters, 0)))
        await pause(1);
      list.push(performance.now() - begun);
      await pause(150);
      press();
      await pause(50);
    }
    return list;
  });
  // The first press also starts the browser's sound.
  return { name: "play.start", value: p95(times.slice(1)), unit: "ms p95, 64 tracks", budget: "< 120" };
}

/** A key of the slice kit struck again and again: from each stroke until the ring holds its sound. */
async function strikeTimes(page: Page): Promise<number[]> {
  return page.evaluate(async () => {
    const { left } = (window as unknown as { wetThreadRing: { left: Float32Array } }).wetThreadRing;
    const pause = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));
    const strike = (): boolean =>
      (document.activeElement ?? document.body).dispatchEvent(
        new KeyboardEvent("keydown", { key: "q", code: "KeyQ", bubbles: true, cancelable: true }),
      );
    const list: number[] = [];
    for (let i = 0; i < 21; i++) {
      const before = left.slice();
      const begun = performance.now();
      strike();
      while (performance.now() - begun < 2000 && left.every((v, k) => v === before[k])) await pause(0);
      list.push(performance.now() - begun);
      // A slice lasts a second: the next stroke finds the ring at rest.
      await pause(1300);
    }
    return list.slice(1);
  });
}

async function playRows(): Promise<Row[]> {
  const { projectId } = await loadManyTracks();
  const page = await openPage();
  await openTime(page, projectId);
  await page.keyboard.press("w");
  const start = await startRows(page);
  const starved = (): Promise<number> =>
    page.evaluate(() => Atomics.load((window as unknown as { wetThreadRing: { flags: Int32Array } }).wetThreadRing.flags, 1));
  const before = await starved();
  await page.keyboard.press("Home");
  // An edit every half second for a minute: the first clip one nudge later, one earlier.
  await page.keyboard.press("Alt+ArrowDown");
  await page.keyboard.press("n");
  await page.keyboard.press("Home");
  await page.keyboard.press("Space");
  for (let i = 0; i < 118; i++) {
    await page.waitForTimeout(500);
    await page.keyboard.press(i % 2 ? "," : ".");
  }
  const gaps = (await starved()) - before;
  await page.keyboard.press("Space");
  await page.keyboard.press("Shift+G");
  await page.waitForFunction(() => Number(document.querySelector<HTMLElement>("[data-testid=kit-count]")?.dataset.ready) > 0);
  const struck = await strikeTimes(page);
  await page.context().close();
  return [
    start,
    { name: "kit.strike", value: p95(struck), unit: "ms p95 from the key to the ring", budget: "< 30" },
    { name: "play.hold", value: gaps, unit: "gaps in a minute, 64 tracks, an edit every 500 ms", budget: "0" },
  ];
}

/** Minutes that are recorded; ten for the budget. */
const MINUTES = Number(process.env.WET_THREAD_BENCH_MINUTES ?? 2);
const RECORDED = 16;

/** Clicks of the stand-in, on the beats of 120 a minute, that a recording does not have just where they belong. */
async function clicksOff(sourceId: string, offset: number, length: number): Promise<number> {
  const beat = 24_000;
  let off = 0;
  let chunk = new Float32Array(0);
  let held = -1;
  const at = async (i: number): Promise<number> => {
    const index = Math.floor(i / 65_536);
    if (index !== held) chunk = new Float32Array(await (await fetch(`${BASE}/api/sources/${sourceId}/pcm?chunk=${index}`)).arrayBuffer());
    held = index;
    return Math.abs(chunk[i % 65_536]);
  };
  for (let due = offset; due < offset + length - beat; due += beat) {
    const [before, click, after] = [await at(due - 1), await at(due), await at(due + 1)];
    if (click < 0.3 || click <= after || before > 0.01) off++;
  }
  return off;
}

async function recordRows(): Promise<Row[]> {
  const { projectId, versionId } = await loadManyTracks(32, Math.ceil(MINUTES / 1.25));
  await call(`/api/versions/${versionId}/edits`, {
    revision: (await call<{ revision: number }>(`/api/versions/${versionId}`)).revision,
    edits: Array.from({ length: RECORDED }, (_, i) => ({ type: "add-track", id: `rec${i}`, name: `Input ${i + 1}`, index: i })),
  });
  const page = await openPage();
  await page.addInitScript((state) => localStorage.setItem("wet-thread recording", JSON.stringify({ state, version: 0 })), { countInBars: 0 });
  await openTime(page, projectId);
  for (let i = 0; i < 5; i++) await page.keyboard.press("Shift+ArrowDown");
  for (let i = 0; i < RECORDED; i++) await page.getByLabel(`Arm Input ${i + 1}`, { exact: true }).click();
  const starved = (): Promise<number> =>
    page.evaluate(() => Atomics.load((window as unknown as { wetThreadRing: { flags: Int32Array } }).wetThreadRing.flags, 1));
  const before = await starved();
  await page.keyboard.press("*");
  await page.waitForTimeout(MINUTES * 60_000);
  const gaps = (await starved()) - before;
  await page.keyboard.press("*");
  const stopped = performance.now();
  await page.waitForFunction(() => !document.querySelector("[data-testid=recording]"), undefined, { timeout: 600_000 });
  const taken = (performance.now() - stopped) / 1000;
  const { clips } = await call<{ clips: { trackId: string; sourceId: string; offset: number; length: number }[] }>(`/api/versions/${versionId}`);
  const laid = clips.filter((c) => c.trackId.startsWith("rec"));
  let off = RECORDED - laid.length;
  for (const clip of laid) off += await clicksOff(clip.sourceId, clip.offset, clip.length);
  await page.context().close();
  const what = `${RECORDED} tracks, ${MINUTES} min, while 32 play`;
  return [
    { name: "record.hold", value: off, unit: `clicks not on their sample, ${what}`, budget: "0" },
    { name: "record.gaps", value: gaps, unit: `moments in which playing ran dry, ${what}`, budget: "0" },
    { name: "record.laid", value: taken, unit: `s from the stop until all lie in the piece, ${what}`, budget: "–" },
  ];
}

const LANES = 50;
const TAKE_MINUTES = 10;

/** A take stack of fifty takes of ten minutes: its lanes while the view moves, and while one is swept over. */
async function takesRows(): Promise<Row[]> {
  const { projectId } = await loadTakes(LANES, TAKE_MINUTES);
  const page = await openPage();
  await page.addInitScript(() => localStorage.setItem("wet-thread settings", JSON.stringify({ state: { takes: true, snapOn: false }, version: 0 })));
  await openTime(page, projectId);
  await page.keyboard.press("w");
  await page.keyboard.press("Control+a");
  await page.waitForTimeout(4000);
  const rows = (await frameRows(page, `${LANES} takes of ${TAKE_MINUTES} min`)).filter((r) => !r.name.startsWith("first"));
  // A sweep over the first lane: the page's own work in each frame.
  const lane = await page.getByRole("region", { name: "Takes" }).getByRole("listitem").first().locator("canvas").boundingBox();
  if (!lane) throw new Error("no lane");
  const swept = await page.evaluate(
    async ({ x, y, width }) => {
      const at = document.elementFromPoint(x + 20, y) as HTMLElement;
      const point = (type: string, px: number): boolean =>
        at.dispatchEvent(new PointerEvent(type, { clientX: px, clientY: y, button: 0, buttons: 1, pointerId: 1, bubbles: true, cancelable: true }));
      const list: number[] = [];
      point("pointerdown", x + 20);
      for (let i = 0; i < 120; i++) {
        const begun = performance.now();
        point("pointermove", x + 20 + ((width - 40) * i) / 120);
        await new Promise((done) => requestAnimationFrame(done));
        const spent = performance.now() - begun;
        list.push(spent);
      }
      point("pointercancel", x + width / 2);
      return list;
    },
    { x: lane.x, y: lane.y + lane.height / 2, width: lane.width },
  );
  await page.context().close();
  return [...rows, { name: "takes.sweep", value: p95(swept), unit: `ms p95 from a move to the next frame, ${LANES} takes`, budget: "–" }];
}

async function longRows(): Promise<Row[]> {
  const { projectId } = await loadLongNight(HOURS, 600);
  const page = await openPage();
  const open = await openRow(page, projectId, "open.long", `${HOURS} h stereo, 600 edits`);
  await page.keyboard.press("w");
  await page.waitForTimeout(2000);
  const drawing = (await frameRows(page, "long")).filter((r) => r.budget !== "–");
  await page.keyboard.press("w");
  // Far in, and from seam to seam.
  for (let i = 0; i < 20; i++) await page.keyboard.press("+");
  for (let i = 0; i < 40; i++) await page.keyboard.press("j");
  await page.waitForTimeout(1500);
  const memory = await megabytes(page);
  await page.context().close();
  return [open, ...drawing, { name: "page.memory, long", value: memory, unit: "MB", budget: "< 600" }];
}

/** The rows of one of the pieces. */
export const pageRows = (of: "large" | "play" | "record" | "takes" | "long") => (): Promise<Row[]> =>
  withPages({ large: largeRows, play: playRows, record: recordRows, takes: takesRows, long: longRows }[of]);
