import { expect, test } from "@playwright/test";
import { api } from "../client";

test("many projects: drawn as one comes to them, found by name; a name of 200 letters keeps its place", async ({ page }) => {
  const made = async (name: string): Promise<void> => {
    expect((await api("POST", "/api/projects", { name, sampleRate: 48_000 })).status).toBe(201);
  };
  await made("The first of many");
  for (let i = 0; i < 90; i++) await made(`One of many ${i}`);
  await made("W".repeat(200));
  await page.goto("/");
  await expect(page.getByRole("link", { name: /^W{200}/ })).toBeVisible();
  const form = await page.getByRole("region", { name: "New project" }).boundingBox();
  expect((form?.x ?? 0) + (form?.width ?? 0)).toBeLessThanOrEqual(page.viewportSize()?.width ?? 0);

  const first = page.getByRole("link", { name: /^The first of many/ });
  await expect(first).toHaveCount(0);
  await expect(async () => {
    await page.mouse.wheel(0, 5000);
    await expect(first).toBeVisible({ timeout: 200 });
  }).toPass();

  await page.getByRole("searchbox", { name: "Find a project" }).fill("of many 8");
  await expect(page.getByRole("link")).toHaveCount(11);
  await page.getByRole("searchbox", { name: "Find a project" }).fill("no such thing");
  await expect(page.getByText("No project has “no such thing” in its name.")).toBeVisible();
});
