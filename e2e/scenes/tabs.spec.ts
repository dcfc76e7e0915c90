import { api } from "../client";
import { EditorPage, type Version } from "../editor";
import { aDemo, expect, type Page, test } from "../scene";

const ROUNDS = 10;

test("the tab is killed again and again in the midst of edits, saved or not: each edit is there once, in order", { tag: "@alone" }, async ({
  context,
}) => {
  test.setTimeout(240_000);
  const demo = await aDemo("Killed tab");
  const version = async (): Promise<Version> => (await api<Version>("GET", `/api/versions/${demo.versionId}`)).body;
  let page: Page = await context.newPage();
  let editor = await EditorPage.open(page, demo, { overlaps: "layer", nudge: { kind: "step", step: { kind: "sample", count: 10 } } });
  const first = (await version()).clips.filter((c) => c.trackId === "treadle").sort((a, b) => a.start - b.start)[0];
  let nudges = 0;
  let seed = 7;
  const next = (n: number): number => {
    seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
    return seed % n;
  };
  for (let round = 0; round < ROUNDS; round++) {
    // In every other round nothing gets through to the server, or no answer comes back from it.
    const away = ["none", "sending", "answers"][round % 3];
    await context.unroute("**/edits");
    if (away !== "none")
      await context.route("**/edits", async (route) => {
        if (away === "answers") await route.fetch().catch(() => {});
        await route.abort();
      });
    await page.keyboard.press("Home");
    await editor.chooseTrack("Treadle");
    await page.keyboard.press("n");
    await expect(page.getByTestId("selection")).toContainText("1 clip");
    const count = 3 + next(6);
    for (let i = 0; i < count; i++) await page.keyboard.press(".");
    nudges += count;
    // Where only answers are lost, what the server has done is learned from it all the same.
    if (away === "sending") await expect(page.getByTestId("save-state")).toHaveAttribute("data-save", "waiting");
    // The page dies as it is: no farewell, nothing that it could still send.
    const dead = page;
    if (round % 2) {
      const gone = new Promise((crash) => dead.once("crash", crash));
      const client = await context.newCDPSession(dead);
      void client.send("Page.crash").catch(() => {});
      await gone;
    }
    await dead.close({ runBeforeUnload: false });
    await context.unroute("**/edits");
    page = await context.newPage();
    editor = await EditorPage.open(page, demo);
    await editor.saved();
    await expect
      .poll(async () => (await version()).clips.find((c) => c.id === first.id)?.start, { message: `round ${round}` })
      .toBe(first.start + 10 * nudges);
  }
  // Each nudge is one step of the history, and all of them can be taken back.
  const { steps } = (await api("GET", `/api/versions/${demo.versionId}/history`)).body;
  expect(steps.filter((s: { name: string }) => /^Nudge/.test(s.name)).length).toBe(nudges);
  // Those that followed each other in one tab go together, so it takes at most one undo a round.
  const done = async (): Promise<number> =>
    (await api("GET", `/api/versions/${demo.versionId}/history`)).body.steps.filter(
      (s: { name: string; state: string }) => /^Nudge/.test(s.name) && s.state === "done",
    ).length;
  let undone = 0;
  for (; (await done()) > 0; undone++) await api("POST", `/api/versions/${demo.versionId}/undo`, {});
  expect(undone).toBe(ROUNDS);
  expect((await version()).clips.find((c) => c.id === first.id)).toEqual(first);
});

test("twenty tabs of one browser share one stream: each edits, saves, and hears of the others", { tag: "@alone" }, async ({ context }) => {
  test.setTimeout(240_000);
  const demo = await aDemo("Twenty tabs");
  const tabs: { page: Page; editor: EditorPage }[] = [];
  for (let i = 0; i < 20; i++) {
    const page = await context.newPage();
    tabs.push({ page, editor: await EditorPage.open(page, demo) });
  }
  const first = (await api<Version>("GET", `/api/versions/${demo.versionId}`)).body.markers.length;
  for (const i of [0, 9, 19]) {
    const { page, editor } = tabs[i];
    await page.bringToFront();
    await page.keyboard.press("m");
    await page.keyboard.press("Escape");
    await editor.saved();
  }
  const revision = String((await api<Version>("GET", `/api/versions/${demo.versionId}`)).body.revision);
  expect((await api<Version>("GET", `/api/versions/${demo.versionId}`)).body.markers.length).toBe(first + 3);
  // The tab that kept the stream closes: another takes over, and nothing is missed.
  await tabs[0].page.close();
  await api("POST", `/api/versions/${demo.versionId}/edits`, { revision: Number(revision), edits: [{ type: "add-marker", position: 5 }] });
  for (const i of [1, 10, 19]) {
    await tabs[i].page.bringToFront();
    await expect(tabs[i].page.getByTestId("save-state")).toHaveAttribute("data-revision", String(Number(revision) + 1));
  }
});
