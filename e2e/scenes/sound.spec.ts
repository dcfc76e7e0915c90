import { expect, type Page, test } from "@playwright/test";
import { addSource, api, exportWav, newProject, noise, readWav, wavFile } from "../client";
import { EditorPage } from "../editor";

/**
 * Collects what the ear gets, frame by frame as the worklet takes them, in a worker of its own that waits on the read index: the page may be
 * busy, and the ring is soon written over. It runs a little ahead of the ear, well short of where an edit may still be laid in.
 */
const COLLECTOR = `onmessage = ({ data: { memory, frames } }) => {
  const header = new Int32Array(memory, 0, 8);
  const left = new Float32Array(memory, 32, 16384);
  const heard = new Float32Array(frames);
  const counter = new Int32Array(new SharedArrayBuffer(4));
  let at = Atomics.load(header, 0), n = 0, late = false;
  postMessage({ counter });
  while (n < frames) {
    const read = Atomics.load(header, 0);
    if (Atomics.load(header, 2) === 1) {
      const to = Math.min(read + 1024, Atomics.load(header, 1));
      const first = at;
      for (; at < to && n < frames; at++) heard[n++] = left[at & 16383];
      // On a machine that is busy elsewhere this worker may wake too late: what it copied had been written over.
      late ||= Atomics.load(header, 1) > first + 16384;
      Atomics.store(counter, 0, n);
    } else at = read;
    Atomics.wait(header, 0, read, 2);
  }
  postMessage({ heard, late });
};`;

interface Listening {
  counter?: Int32Array;
  heard?: Float32Array;
  late?: boolean;
}

/** Attempts at listening: one counts only if the collector kept up all the way. */
const ATTEMPTS = 6;

/** Plays by the space bar and returns the left channel of `seconds` of what was heard. `during` may wait for a count of frames. */
async function listen(page: Page, seconds: number, during?: (frames: (n: number) => Promise<void>) => Promise<void>): Promise<number[]> {
  for (let i = 0; i < ATTEMPTS; i++) {
    const heard = await listenOnce(page, seconds, during);
    if (heard) return heard;
    await page.keyboard.press("Home");
  }
  throw new Error("The machine is too busy to listen.");
}

async function listenOnce(page: Page, seconds: number, during?: (frames: (n: number) => Promise<void>) => Promise<void>): Promise<number[] | null> {
  await page.evaluate(
    ({ code, frames }) => {
      const ring = (window as unknown as { wetThreadRing: { memory: SharedArrayBuffer } }).wetThreadRing;
      const worker = new Worker(URL.createObjectURL(new Blob([code])));
      const state: Listening = {};
      (window as unknown as { listening: Listening }).listening = state;
      worker.onmessage = ({ data }) => Object.assign(state, data);
      worker.postMessage({ memory: ring.memory, frames });
    },
    { code: COLLECTOR, frames: seconds * 48_000 },
  );
  await page.waitForFunction(() => (window as unknown as { listening: Listening }).listening.counter);
  await page.keyboard.press("Space");
  await during?.(async (n) => {
    await page.waitForFunction((wanted) => Atomics.load((window as unknown as { listening: Required<Listening> }).listening.counter, 0) > wanted, n);
  });
  await page.waitForFunction(() => (window as unknown as { listening: Listening }).listening.heard, undefined, { timeout: 30_000 });
  const { out, late } = await page.evaluate(() => {
    const { heard, late } = (window as unknown as { listening: Required<Listening> }).listening;
    return { out: [...heard], late };
  });
  await page.keyboard.press("Space");
  return late ? null : out;
}

async function project(samples: Float32Array) {
  const made = await newProject();
  const source = await addSource(made.projectId, wavFile([samples]));
  await api("POST", `/api/versions/${made.versionId}/edits`, {
    revision: 0,
    edits: [
      { type: "add-track", id: "t", name: "Hum", gain: -2, pan: -0.25 },
      { type: "add-clip", id: "c", trackId: "t", sourceId: source.id, start: 0, fadeIn: { length: 9000, shape: "s", bend: 0.2 } },
    ],
  });
  return made;
}

test("what is played is what is exported, sample for sample", async ({ page }) => {
  const made = await project(noise(48_000 * 6, 21));
  await EditorPage.open(page, made);
  const left = await listen(page, 3);
  const [rendered] = await readWav(await exportWav(made.versionId));
  let different = 0;
  for (let i = 0; i < 48_000 * 3; i++) if (left[i] !== rendered[i]) different++;
  expect(different).toBe(0);
});

test("edits while it plays are heard without a click, and nothing is left out", async ({ page }) => {
  // A smooth tone: any step in it would stand out.
  const tone = Float32Array.from({ length: 48_000 * 12 }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 220 * i) / 48_000));
  const made = await project(tone);
  const editor = await EditorPage.open(page, made);
  const left = await listen(page, 5, async (frames) => {
    await frames(48_000);
    await page.getByLabel("Mute Hum", { exact: true }).click();
    await frames(120_000);
    await page.getByLabel("Mute Hum", { exact: true }).click();
  });
  const silent = left.slice(48_000, 200_000).filter((v) => Math.abs(v) < 1e-9).length;
  expect(silent, "the mute was heard").toBeGreaterThan(20_000);
  // Second differences of the tone itself stay below 0.0005; a hard cut at its peak would be near 0.4.
  let most = 0;
  for (let i = 2; i < left.length; i++) most = Math.max(most, Math.abs(left[i] - 2 * left[i - 1] + left[i - 2]));
  expect(most).toBeLessThan(0.004);
  await editor.saved();
  expect((await editor.version()).tracks[0].mute).toBe(false);
});

test("a loop goes round to the sample", async ({ page }) => {
  const samples = noise(48_000 * 4, 31);
  const made = await project(samples);
  await api("POST", `/api/versions/${made.versionId}/edits`, {
    revision: 1,
    edits: [{ type: "set-loop", loop: { start: 0, end: 30_000, on: true } }],
  });
  await EditorPage.open(page, made);
  const left = await listen(page, 2);
  for (let i = 0; i < 60_000; i += 97) expect(left[i + 30_000]).toBe(left[i]);
});
