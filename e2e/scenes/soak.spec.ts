import { documentFrom } from "@wet-thread/core/model/document";
import { problems } from "@wet-thread/core/model/invariants";
import { api } from "../client";
import { EditorPage, type Version } from "../editor";
import { aDemo, expect, type Page, test } from "../scene";

/** Things done in a row; more for a long soak. */
const STEPS = Number(process.env.WET_THREAD_SOAK_STEPS ?? 300);

/** Keys by what they do, those that a day is full of more often. */
const KEYS = [
  ..."nnnn....,,,]][[}{><hhhjjjJkKmuuiio//dcylvbfa;:xs".split(""),
  ..."+++---zzw".split(""),
  ..."Alt+ArrowDown Alt+ArrowDown Alt+ArrowUp ArrowRight ArrowRight ArrowLeft ArrowUp ArrowDown Home End Shift+C Shift+Z Alt+Z".split(" "),
  ..."Control+z Control+z Control+z Control+Shift+z Control+c Control+v Control+x Delete Shift+Delete Control+Delete Control+b Control+a".split(" "),
  ..."Escape Escape Escape Space Shift+Space Alt+u Shift+A Shift+R PageUp PageDown Shift+ArrowUp Shift+ArrowDown 1 2 3 5 6 7 0".split(" "),
];

test("hundreds of keys, drags and turns of the wheel at random, while it plays: two tabs agree, nothing breaks, all of it can be taken back", {
  tag: "@alone",
}, async ({ page, context }) => {
  test.setTimeout(120_000 + STEPS * 500);
  const demo = await aDemo("Soak");
  const version = async (): Promise<Version> => (await api<Version>("GET", `/api/versions/${demo.versionId}`)).body;
  const wrong: string[] = [];
  const watch = (p: Page): void => {
    p.on("pageerror", (error) => wrong.push(error.message));
    p.on("crash", () => wrong.push("crash"));
  };
  const editor = await EditorPage.open(page, demo);
  const other = await context.newPage();
  for (const p of [page, other]) watch(p);
  const second = await EditorPage.open(other, demo);
  await page.bringToFront();
  const before = await version();
  const { steps: first } = (await api("GET", `/api/versions/${demo.versionId}/history`)).body;

  let seed = Number(process.env.WET_THREAD_SOAK_SEED ?? 20_261);
  const random = (n: number): number => {
    seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
    return Math.floor((seed / 2 ** 32) * n);
  };
  const { keyboard, mouse } = page;
  const { box } = await editor.view();
  const spot = () => ({ x: box.x + 20 + random(box.width - 40), y: box.y + 6 + random(box.height - 20) });
  await keyboard.press("Space");
  for (let i = 0; i < STEPS; i++) {
    const what = random(10);
    if (what < 7) await keyboard.press(KEYS[random(KEYS.length)]);
    else if (what === 7) {
      const [from, to] = [spot(), spot()];
      await mouse.move(from.x, from.y);
      await mouse.down();
      await mouse.move(to.x, random(2) ? from.y : to.y, { steps: 3 });
      if (random(4) === 0) await keyboard.press("Escape");
      await mouse.up();
    } else if (what === 8) {
      const { x, y } = spot();
      await mouse.click(x, y);
    } else {
      const { x, y } = spot();
      await mouse.move(x, y);
      if (random(2)) await keyboard.down("Control");
      await mouse.wheel(random(200) - 100, random(200) - 100);
      await keyboard.up("Control");
    }
  }
  await keyboard.press("Escape");
  await keyboard.press("Escape");
  if (await page.getByRole("button", { name: "Stop", exact: true }).isVisible()) await keyboard.press("Space");
  await expect(page.getByRole("button", { name: "Play", exact: true })).toBeVisible();
  await editor.saved();
  expect(wrong).toEqual([]);
  expect(await page.getByTestId("engine").getAttribute("data-engine")).toBe("on");

  // The server's version is whole, and its steps say how it came about.
  const after = await version();
  const sources = new Map(
    (await api("GET", `/api/projects/${demo.projectId}`)).body.sources.map((s: { id: string }) => [s.id, s]),
  ) as unknown as Parameters<typeof documentFrom>[1];
  const { trackOrder, tempo, meter, firstBar, frameRate, loop, ...rest } = after;
  expect(problems(documentFrom({ ...rest, piece: { trackOrder, tempo, meter, firstBar, frameRate, loop } }, sources))).toEqual([]);
  expect(after.revision).toBeGreaterThan(before.revision + STEPS / 20);

  // Both tabs show what the server has: as many clips, and the same ones in the list.
  const listed = async (p: Page): Promise<string> => {
    await p.bringToFront();
    await p.keyboard.press("Escape");
    await p.keyboard.press("Escape");
    await p.keyboard.press("Control+l");
    const text = (await p.getByRole("listbox", { name: "Tracks" }).getByRole("option").allTextContents()).join("; ");
    await p.keyboard.press("Escape");
    return text;
  };
  await second.saved();
  const words = await listed(page);
  await expect.poll(() => listed(other)).toBe(words);
  for (const track of after.tracks.filter((t) => !t.hidden)) {
    const count = after.clips.filter((c) => c.trackId === track.id).length;
    expect(words).toContain(`${track.name}${count === 1 ? "1 clip" : `${count} clips`}`);
  }

  // All the way back, and forth again; a page that is opened anew shows the same.
  const at = `/api/versions/${demo.versionId}`;
  // How high lanes are and who is heard by itself are no steps: they stay as they were left.
  const withoutOrder = (v: Version) => ({
    ...v,
    revision: 0,
    clips: [...v.clips].sort((a, b) => (a.id < b.id ? -1 : 1)),
    tracks: v.tracks.map((t) => ({ ...t, height: 0, solo: false })),
  });
  const { steps } = (await api("GET", `${at}/history`)).body;
  const last = steps.filter((s: { state: string }) => s.state === "done").at(-1)?.revision;
  expect(last).toBeGreaterThan(first.at(-1).revision);
  expect((await api("POST", `${at}/undo`, { to: first.at(-1).revision })).status).toBe(200);
  expect(withoutOrder(await version())).toEqual(withoutOrder(before));
  expect((await api("POST", `${at}/redo`, { to: last })).status).toBe(200);
  expect(withoutOrder(await version())).toEqual(withoutOrder(after));
  await page.bringToFront();
  await page.reload();
  await editor.saved();
  expect(await listed(page)).toBe(words);

  // What it took: nothing is left lying about.
  const client = await context.newCDPSession(page);
  await client.send("HeapProfiler.collectGarbage");
  const { usedSize } = (await client.send("Runtime.getHeapUsage")) as { usedSize: number };
  expect(usedSize / 1e6).toBeLessThan(600);
  expect(wrong).toEqual([]);
});
