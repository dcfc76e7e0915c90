import type { Clip } from "@wet-thread/core/model/schema";
import { EditorPage } from "../editor";
import { seriousFaults } from "../readable";
import { aDemo, expect, test } from "../scene";

const DEMO = "Night shift at Harrow Mill";

test("a newcomer takes five steps with the real controls, each is ticked off, and the card goes and comes back", async ({ page }) => {
  const editor = await EditorPage.open(page, await aDemo(DEMO));
  const card = page.getByRole("region", { name: "Five first steps" });
  const step = (id: string) => card.locator(`[data-step=${id}]`);
  const taken = (id: string) => expect(step(id)).toHaveAttribute("data-done", "true");
  await expect(card.locator("[data-done=true]")).toHaveCount(0);
  expect(await seriousFaults(page)).toEqual([]);

  // It points at the control itself, until the next press.
  await card.getByRole("button", { name: "Show me where" }).click();
  const ring = page.getByTestId("shown-where");
  const play = page.getByRole("button", { name: "Play", exact: true });
  const [around, inside] = [await ring.boundingBox(), await play.boundingBox()];
  if (!around || !inside) throw new Error("There is no ring around the play button.");
  expect(around.x < inside.x && around.y < inside.y && around.x + around.width > inside.x + inside.width).toBe(true);
  await play.click();
  await expect(ring).toHaveCount(0);
  await taken("listen");
  await page.keyboard.press("Space");

  const lanes = await editor.lanes.boundingBox();
  if (!lanes) throw new Error("There are no lanes.");
  await page.mouse.move(lanes.x + 300, lanes.y + 60);
  await page.keyboard.down("Control");
  await page.mouse.wheel(0, -400);
  await page.keyboard.up("Control");
  await taken("closer");

  // The name strip that it shows is one to take hold of; the cut is made where the clip is clicked.
  await card.getByRole("button", { name: "Show me where" }).click();
  const strip = await ring.boundingBox();
  if (!strip) throw new Error("No name strip is shown.");
  await page.mouse.click(strip.x + strip.width / 2, strip.y + 40);
  await page.keyboard.press("/");
  await editor.saved();
  await taken("cut");
  const pieces = (await editor.version()).clips.length;

  await page.mouse.move(strip.x + strip.width / 2 + 30, strip.y + strip.height / 2);
  await page.mouse.down();
  await page.mouse.move(strip.x + strip.width / 2 + 160, strip.y + strip.height / 2, { steps: 6 });
  await page.mouse.up();
  await editor.saved();
  await taken("move");

  await card.getByRole("button", { name: "Show me where" }).click();
  const mark = await ring.boundingBox();
  if (!mark) throw new Error("No mark is shown.");
  await page.mouse.dblclick(mark.x + mark.width / 2, mark.y + mark.height / 2);
  await editor.saved();
  await taken("smooth");
  await expect(page.getByRole("region", { name: "Five first steps" })).toContainText("That is how it goes");

  // Whatever was tried is taken back, and the steps stay taken, after a reload too.
  for (let i = 0; i < 3; i++) await page.keyboard.press("Control+z");
  await editor.saved();
  expect((await editor.version()).clips.length).toBe(pieces - 1);
  await page.reload();
  await expect(card.locator("[data-done=true]")).toHaveCount(5);
  await card.getByRole("button", { name: "The guide goes on from here" }).click();
  await page.getByRole("complementary", { name: "Help" }).getByRole("button", { name: "Close" }).click();
  await card.getByRole("button", { name: "Close the first steps" }).click();
  await expect(card).toHaveCount(0);
  await page.reload();
  await expect(editor.lanes).toHaveAttribute("data-samples-per-pixel", /\d/);
  await expect(card).toHaveCount(0);
  await page.keyboard.press("Control+k");
  await page.keyboard.type("first steps");
  await page.keyboard.press("Enter");
  await expect(card.locator("[data-done=false]")).toHaveCount(5);
});

test("a project of one's own has no card", async ({ page }) => {
  await EditorPage.open(page, await aDemo("My own"));
  await expect(page.getByRole("region", { name: "Five first steps" })).toHaveCount(0);
});

test("the help is found in by typing, stays open beside the work, and is there when the server is not", async ({ page }) => {
  const editor = await EditorPage.open(page, await aDemo("Helped"));
  await page.keyboard.press("F1");
  const help = page.getByRole("complementary", { name: "Help" });
  const search = help.getByLabel("Search the help");
  await expect(search).toBeFocused();
  await expect(help.getByRole("option").first()).toHaveText("Bring recordings in");
  await page.keyboard.type("crossfade");
  await expect(help.getByRole("option").first()).toContainText("Make it inaudible");
  await expect(help.locator("mark").first()).toHaveText("crossfade");
  expect(await seriousFaults(page)).toEqual([]);
  await page.keyboard.press("Enter");
  await expect(help.getByRole("heading", { name: "Make it inaudible" })).toBeFocused();
  const picture = help.getByRole("img");
  await expect.poll(() => picture.evaluate((img: HTMLImageElement) => img.naturalWidth)).toBeGreaterThan(600);
  expect(await seriousFaults(page)).toEqual([]);

  // What is done meanwhile is done to the piece; a changed key is shown as it is now.
  const bells = (await editor.lane("bells"))[0] as Clip;
  await editor.select(bells.id);
  await page.keyboard.press("u");
  await editor.saved();
  expect((await editor.lane("bells"))[0].mute).toBe(true);
  await expect(help).toBeVisible();
  await help.getByRole("button", { name: /What was found for/ }).click();
  await search.fill("undo");
  await help.getByRole("option", { name: /^Undo/ }).click();
  await editor.saved();
  expect((await editor.lane("bells"))[0].mute).toBe(false);

  // With the server away it is all there but for pictures that were not fetched yet.
  await page.context().setOffline(true);
  await search.fill("slice kit");
  await help.getByRole("option", { name: /^Play the slices/ }).click();
  await expect(help).toContainText("lays the hits of a clip");
  await expect(help).toContainText("A picture of this can't be fetched now");
  await page.context().setOffline(false);
  await page.keyboard.press("Escape");
  await expect(help).toHaveCount(0);
  // Its key opens and closes it, from within its field too.
  await page.keyboard.press("F1");
  await expect(search).toBeFocused();
  await page.keyboard.press("F1");
  await expect(help).toHaveCount(0);
});

test("a guide that does not come says so, and is asked for again; a word that no command has leads to the help", async ({ page }) => {
  // Away until it is asked for again by hand: the palette asks for it too.
  let away = true;
  await page.route("**/api/help", (route) => (away ? route.abort() : route.continue()));
  await EditorPage.open(page, await aDemo("No guide"));
  await page.keyboard.press("Control+k");
  await page.keyboard.type("qzx");
  await page.getByRole("button", { name: "Look in the help" }).click();
  const help = page.getByRole("complementary", { name: "Help" });
  await expect(help).toContainText("The guide could not be fetched");
  away = false;
  await help.getByRole("button", { name: "Try again" }).click();
  await expect(help).toContainText("Nothing is said of “qzx”");
  await help.getByLabel("Search the help").fill("loudness");
  await expect(help.getByRole("option").first()).toContainText("Hand over");
  await help.getByLabel("Search the help").fill("qzx");
  await help.getByRole("button", { name: "see the contents" }).click();
  await expect(help.getByRole("option").first()).toHaveText("Bring recordings in");
});
