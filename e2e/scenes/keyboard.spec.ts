import { api } from "../client";
import { EditorPage, type Version } from "../editor";
import { aDemo, expect, type Page, test } from "../scene";

/** A pass of work without a pointer: it may rest anywhere, and is never used. */
const focused = (page: Page): Promise<string> =>
  page.evaluate(() => {
    const e = document.activeElement as HTMLElement | null;
    return e === document.body ? "" : (e?.getAttribute("aria-label") ?? e?.textContent ?? "");
  });

/** Goes on with Tab until something with this name is focused. */
async function tabTo(page: Page, name: string | RegExp, most = 80): Promise<void> {
  for (let i = 0; i < most; i++) {
    const now = await focused(page);
    if (typeof name === "string" ? now === name : name.test(now)) return;
    await page.keyboard.press("Tab");
  }
  throw new Error(`Tab does not lead to ${name}.`);
}

test("every view is opened, used and left by keyboard alone", async ({ page }) => {
  const demo = await aDemo("By keys alone");
  const version = async (): Promise<Version> => (await api<Version>("GET", `/api/versions/${demo.versionId}`)).body;
  const { keyboard } = page;
  const said = page.getByTestId("selection");

  // The list of projects, and one of them.
  await page.goto("/");
  await page.getByRole("heading", { name: "By keys alone" }).or(page.getByText("By keys alone")).first().waitFor();
  await tabTo(page, /By keys alone/, 200);
  await keyboard.press("Enter");
  const editor = new EditorPage(page, demo.projectId, demo.versionId);
  await expect(editor.lanes).toHaveAttribute("data-samples-per-pixel", /\d/);
  const before = await version();

  // The palette: a command by a few letters.
  await keyboard.press("Control+k");
  await keyboard.type("add a track");
  await keyboard.press("Enter");
  await expect.poll(async () => (await version()).tracks.length).toBe(before.tracks.length + 1);
  await keyboard.press("Control+z");
  await expect.poll(async () => (await version()).tracks.length).toBe(before.tracks.length);

  // The mode line: a word of it opened, another answer chosen, closed; the focus is back on the word.
  await keyboard.press("Alt+m");
  await expect.poll(() => focused(page)).toMatch(/stay put/i);
  await keyboard.press("Enter");
  await tabTo(page, /^Ripple|move along/i, 12);
  await keyboard.press("Space");
  await keyboard.press("Escape");
  await expect(page.getByTestId("mode-line")).toContainText(/move along/i);
  await keyboard.press("Escape");
  await keyboard.press("1");
  await expect(page.getByTestId("mode-line")).toContainText(/stay put/i);

  // A track, its menu, and a line of it.
  await keyboard.press("Alt+ArrowDown");
  await expect(said).toContainText("Track Shuttle");
  await keyboard.press("Alt+Enter");
  await expect(page.getByRole("menuitem", { name: "Duplicate track" })).toBeVisible();
  await expect(page.getByRole("menuitem", { name: /^Mute/ })).toBeFocused();
  await keyboard.press("Enter");
  await expect.poll(async () => (await version()).tracks[0].mute).toBe(true);
  await keyboard.press("Alt+u");
  await expect.poll(async () => (await version()).tracks[0].mute).toBe(false);

  // A clip, its menu; its page of the inspector, a field of it.
  await keyboard.press("n");
  await expect(said).toContainText("1 clip, Shuttle");
  await keyboard.press("Alt+Enter");
  await expect(page.getByRole("menuitem", { name: "Split here" })).toBeVisible();
  await keyboard.press("Escape");
  await expect(page.getByRole("menu")).toHaveCount(0);
  await keyboard.press("Control+k");
  await keyboard.type("inspector: the clip");
  await keyboard.press("Enter");
  await expect.poll(() => focused(page)).toBe("Clip");
  await tabTo(page, "Gain");
  await keyboard.press("Control+a");
  await keyboard.type("-7.5");
  await keyboard.press("Enter");
  await expect.poll(async () => (await version()).clips.filter((c) => c.gain === -7.5).length).toBe(1);

  // Seam, track, marks, recordings: each page by key.
  for (const name of ["Seam", "Track", "Marks"]) {
    await keyboard.press("Escape");
    await keyboard.press("Alt+i");
    await expect(page.getByRole("tab", { name, exact: true })).toBeFocused();
    await expect(page.getByRole("tab", { name, exact: true })).toHaveAttribute("aria-selected", "true");
  }

  // The history: back to before the gain, forth again.
  await keyboard.press("Alt+i");
  await expect(page.getByRole("tab", { name: "History" })).toBeFocused();
  const list = page.getByRole("list", { name: "History, newest first" });
  await expect(list.getByRole("listitem").first()).toContainText("1 clip · Shuttle");
  await keyboard.press("Tab");
  await keyboard.press("Tab");
  await keyboard.press("Tab");
  await keyboard.press("Enter");
  await expect.poll(async () => (await version()).clips.filter((c) => c.gain === -7.5).length).toBe(0);
  await keyboard.press("Control+Shift+z");
  await keyboard.press("Control+Shift+z");
  await expect.poll(async () => (await version()).clips.filter((c) => c.gain === -7.5).length).toBe(1);

  // The recordings: one is found and heard.
  await keyboard.press("Alt+i");
  await expect(page.getByRole("tab", { name: "Sources" })).toBeFocused();
  await tabTo(page, "Find a recording", 12);
  await keyboard.type("shuttle");
  await tabTo(page, /^Hear /, 12);
  await keyboard.press("Enter");
  await expect(page.getByTestId("engine")).toHaveAttribute("data-engine", "on");
  await keyboard.press("Enter");

  // Seam check: opened, a row walked to, closed.
  await keyboard.press("Escape");
  await keyboard.press("Shift+Y");
  const rows = page.getByTestId("seam-rows");
  await expect(rows).toBeVisible();
  await keyboard.press("j");
  await expect(said).toContainText("Seam at");
  await keyboard.press("Alt+Enter");
  await expect(page.getByRole("menuitem", { name: "Next seam" })).toBeVisible();
  await keyboard.press("Escape");
  await keyboard.press("Shift+Y");
  await expect(rows).toHaveCount(0);

  // The list of everything, the key sheet, a key changed and put back.
  await keyboard.press("Control+l");
  await keyboard.press("ArrowRight");
  await keyboard.press("Enter");
  await expect(page.getByRole("dialog")).toHaveCount(0);
  await keyboard.press("Control+/");
  const sheet = page.getByRole("dialog", { name: "Keys" });
  await expect(sheet).toBeVisible();
  await keyboard.type("duplicate track");
  await tabTo(page, "Change the key of Duplicate track", 12);
  await keyboard.press("Enter");
  await keyboard.press("Alt+Shift+D");
  await expect(sheet).toContainText("Alt+Shift+D");
  await keyboard.press("Escape");
  await expect(sheet).toHaveCount(0);
  await keyboard.press("Escape");
  await keyboard.press("Alt+ArrowDown");
  await keyboard.press("Alt+Shift+D");
  await expect.poll(async () => (await version()).tracks.length).toBe(before.tracks.length + 1);

  // A range by key, a section of it, the marker panel left; the export of the range rendered and offered.
  await keyboard.press("Escape");
  await keyboard.press("Home");
  await keyboard.press("ArrowRight");
  await keyboard.press(";");
  await keyboard.press("ArrowRight");
  await keyboard.press(":");
  await expect(said).toContainText("Range");
  await keyboard.press("Alt+Enter");
  await expect(page.getByRole("menuitem", { name: "Split out" })).toBeVisible();
  await keyboard.press("Escape");
  await keyboard.press("Control+e");
  await tabTo(page, "Render", 40);
  await keyboard.press("Enter");
  await expect(page.getByRole("link", { name: /Save/ })).toBeVisible({ timeout: 30_000 });
  await keyboard.press("Escape");

  // And back to all projects.
  await tabTo(page, "All projects", 120);
  await keyboard.press("Enter");
  await expect(page).toHaveURL(/\/$/);
});
