import { api } from "../client";
import { EditorPage } from "../editor";
import { aDemo, expect, test } from "../scene";

test("an export is found again after a reload, saved, and called off", async ({ page }) => {
  const demo = await aDemo("Exports");
  await EditorPage.open(page, demo);
  // As long as this stands, the page is told that the server still renders.
  let rendering = true;
  const asked: string[] = [];
  await page.route(/\/api\/exports\/[^/]+$/, async (route) => {
    if (!rendering || route.request().method() !== "GET") return route.continue();
    const answer = await route.fetch();
    const job = await answer.json();
    asked.push(job.id);
    await route.fulfill({ response: answer, json: { ...job, status: "rendering", progress: 0.4 } });
  });
  const render = async (): Promise<void> => {
    if (!(await page.getByRole("dialog", { name: "Export" }).isVisible())) await page.getByTestId("export").click();
    await page.getByRole("button", { name: "Render" }).click();
    await expect(page.getByRole("progressbar", { name: "Rendering" })).toHaveAttribute("aria-valuenow", "40");
  };
  await render();
  await page.reload();
  await page.getByTestId("export").click();
  await expect(page.getByRole("progressbar", { name: "Rendering" })).toBeVisible();
  await page.keyboard.press("Escape");
  rendering = false;
  const saving = page.waitForEvent("download");
  await page.getByRole("button", { name: "Save file" }).click();
  expect((await saving).suggestedFilename()).toMatch(/\.wav$/);
  expect(new Set(asked).size).toBe(1);

  rendering = true;
  await render();
  const gone = asked.at(-1);
  await page.getByRole("button", { name: "Cancel" }).click();
  await expect(page.getByText("The export was called off.")).toBeVisible();
  await expect.poll(async () => (await api("GET", `/api/exports/${gone}`)).status).toBe(404);
  await expect(page.getByRole("button", { name: "Render" })).toBeEnabled();
});
