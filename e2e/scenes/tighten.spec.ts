import { expect, test } from "@playwright/test";
import { createDemo } from "../../demo/create";
import { api, BASE } from "../client";
import { EditorPage } from "../editor";
import { RATE } from "../small";

const MS = RATE / 1000;

test("hits are drawn to the grid by cutting: read off first, done by Enter, each nearer to its line, taken back in one step; a splice then settles", async ({
  page,
}) => {
  const demo = await createDemo(BASE, "Tighten");
  const editor = await EditorPage.open(page, demo, { snapOn: false, followsZoom: false, step: { kind: "bar", count: 1 } });
  const before = await editor.lane("treadle");
  const [bed] = before;
  const { transients } = (await api("GET", `/api/sources/${bed.sourceId}`)).body as { transients: number[] };
  const hits = transients.filter((t) => t >= bed.offset && t < bed.offset + bed.length);
  await editor.show(bed.start, bed.start + 12 * RATE);
  await editor.select(bed.id);
  await page.keyboard.press("Alt+g");

  // A grid of whole bars is coarser than anyone plays: sixteenths are offered, and said.
  const panel = page.getByRole("dialog", { name: "Tighten" });
  await expect(panel.getByRole("button", { name: "1/16", exact: true })).toHaveAttribute("aria-pressed", "true");
  await expect(panel.getByTestId("tighten-count")).toContainText(`of ${hits.length} hits move`);
  await expect(panel.getByRole("img", { name: /^Chart: offsets of/ })).toBeVisible();
  const moving = Number((await panel.getByTestId("tighten-count").textContent())?.split(" ")[0]);
  expect(moving).toBeGreaterThan(4);

  const figures = (await panel.getByTestId("tighten-figures").textContent()) ?? "";
  const [, spread, , left] = [...figures.matchAll(/\d+\.\d/g)].map(Number);
  expect(left).toBeLessThan(spread);

  // The key confirms, wherever the panel put the focus; every hit that moved begins a piece, its lead before it.
  await page.keyboard.press("Enter");
  await editor.saved();
  await expect(panel).toHaveCount(0);
  const pieces = await editor.lane("treadle");
  const moved = pieces.filter((p) => {
    // A blend ends where the cut is.
    const cut = p.offset + (p.blend ? p.fadeIn.length : 0);
    return p.sourceId === bed.sourceId && hits.includes(cut + 4 * MS) && p.start - bed.start !== p.offset - bed.offset;
  });
  // Neighbours that move by the same amount stay in one piece.
  expect(moved.length).toBeGreaterThan(moving / 2);
  const { steps } = (await api("GET", `/api/versions/${demo.versionId}/history`)).body as { steps: { name: string }[] };
  expect(steps.at(-1)?.name).toBe(`Tighten ${moving} hits to 1/16`);

  // One step takes it all back, and does it again.
  await page.keyboard.press("Control+z");
  await editor.saved();
  expect(await editor.lane("treadle")).toEqual(before);
  await page.keyboard.press("Control+Shift+z");
  await editor.saved();
  expect(await editor.lane("treadle")).toEqual(pieces);

  // A splice of two takes settles: said in figures, blended, and nothing worse.
  await page.keyboard.press("Control+z");
  await page.keyboard.press("Escape");
  await editor.saved();
  const seamsOf = async () =>
    (await api("GET", `/api/versions/${demo.versionId}/seams`)).body.seams as {
      trackId: string;
      position: number;
      class: string;
      click: number | null;
    }[];
  const raw = (await seamsOf()).filter((s) => s.class === "raw" && s.click !== null && s.trackId === "bells")[0];
  await editor.show(raw.position - RATE, raw.position + RATE);
  const rail = await editor.at(raw.position, raw.trackId, 96 - 8);
  await page.mouse.click(rail.x, rail.y);
  await expect(page.getByTestId("seam-class")).toHaveText("raw");
  await page.keyboard.press("Alt+s");
  await expect(page.getByText(/^Alike 0\.\d+ → [01]\.\d+, click −\d+ dB → (none|−\d+ dB)$/)).toBeVisible();
  await editor.saved();
  expect((await seamsOf()).filter((s) => s.class === "raw").length).toBeLessThan((await seamsOf()).length);
  await expect(page.getByTestId("seam-class")).not.toHaveText("raw");
});
