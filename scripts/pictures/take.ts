import path from "node:path";
import { type Browser, chromium, type Page } from "@playwright/test";
import { keptModes } from "@wet-thread/core/model/modes";

/** Takes the pictures of the docs from the demo at an address; names given after it take only those. */
const [url, ...only] = process.argv.slice(2);
const FOLDER = path.join(import.meta.dirname, "..", "..", "docs", "screenshots");
const SIZE = { width: 1280, height: 800 };

interface Take {
  readonly name: string;
  readonly settings?: Record<string, unknown>;
  /** Where; left out, the demo's editor. */
  readonly at?: string;
  readonly do?: (page: Page, lanes: { x: number; y: number }) => Promise<void>;
}

const rest = (page: Page, ms = 500): Promise<void> => page.waitForTimeout(ms);
/** A press on a clip's body, pixels into the lanes. */
const click = async (page: Page, lanes: { x: number; y: number }, x: number, y: number): Promise<void> => page.mouse.click(lanes.x + x, lanes.y + y);
async function drag(page: Page, from: readonly [number, number], to: readonly [number, number], keep = false): Promise<void> {
  await page.mouse.move(...from);
  await page.mouse.down();
  await page.mouse.move((from[0] + to[0]) / 2, (from[1] + to[1]) / 2, { steps: 4 });
  await page.mouse.move(...to, { steps: 4 });
  if (!keep) await page.mouse.up();
}
async function keys(page: Page, ...list: string[]): Promise<void> {
  for (const key of list) await page.keyboard.press(key);
  await rest(page);
}

const TAKES: readonly Take[] = [
  { name: "editor", do: (page, lanes) => click(page, lanes, 150, 60) },
  { name: "editor-vat", settings: { theme: "vat" }, do: (page, lanes) => click(page, lanes, 150, 60) },
  { name: "projects", at: "/" },
  {
    name: "mode-menu",
    do: async (page) => page.getByTestId("mode-line").getByRole("button", { name: "stay put" }).click(),
  },
  {
    name: "moving-along",
    settings: { neighbours: "ripple" },
    do: async (page, lanes) => {
      await click(page, lanes, 100, 235);
      await drag(page, [lanes.x + 60, lanes.y + 206], [lanes.x + 130, lanes.y + 206], true);
    },
  },
  {
    name: "treatment",
    settings: { folds: { Place: false, Level: false, Fades: false, Treatment: true } },
    do: async (page, lanes) => {
      await click(page, lanes, 60, 203);
      for (const kind of ["Low cut", "Gate", "Bell"]) {
        await page.getByRole("button", { name: "Add …" }).click();
        await page.getByRole("button", { name: kind, exact: true }).last().click();
        await rest(page, 900);
      }
      await page.getByRole("button", { name: "Presets …" }).scrollIntoViewIfNeeded();
      await page.keyboard.press("Shift+W");
      await rest(page, 1500);
    },
  },
  {
    name: "versions",
    do: async (page, lanes) => {
      await page.getByRole("button", { name: /^Version:/ }).click();
      await page.getByLabel("Name of the new version").fill("Short cut");
      await page.getByRole("button", { name: "From this one" }).click();
      await rest(page, 1500);
      await click(page, lanes, 60, 203);
      await keys(page, "Control+Delete");
      await click(page, lanes, 290, 293);
      await keys(page, ".", "Escape", "Alt+c");
      await rest(page, 1200);
    },
  },
  {
    name: "tighten",
    do: async (page, lanes) => {
      await click(page, lanes, 150, 60);
      await keys(page, "Alt+g");
      await rest(page, 1500);
    },
  },
  {
    name: "kit",
    do: async (page, lanes) => {
      await click(page, lanes, 150, 60);
      await keys(page, "Shift+G");
      await page.waitForFunction(() => Number(document.querySelector<HTMLElement>("[data-testid=kit-count]")?.dataset.ready) > 0);
      await keys(page, "w");
    },
  },
  { name: "seam-check", settings: { seamCheck: true }, do: (page) => rest(page, 4000) },
  { name: "sources", do: async (page) => page.getByRole("tab", { name: "Sources" }).click() },
  {
    name: "hits",
    settings: { showHits: true, folds: { Hits: true, Fades: false } },
    do: async (page, lanes) => {
      await click(page, lanes, 340, 60);
      await keys(page, "Shift+C");
      await page.getByText("Each hit and its line").click();
      await page.getByRole("region", { name: "Hits" }).getByRole("row").last().scrollIntoViewIfNeeded();
    },
  },
  {
    name: "export",
    do: async (page) => {
      await keys(page, "Control+e");
      await page.getByRole("radio", { name: "To a loudness" }).click();
      await page.getByRole("button", { name: "Measure" }).click();
      await page.getByRole("img", { name: "Chart: loudness over time" }).waitFor({ timeout: 60_000 });
      await rest(page, 1200);
    },
  },
  {
    name: "takes",
    settings: { overlaps: "layer", edgeFadeMs: 20 },
    do: async (page, lanes) => {
      await drag(page, [lanes.x + 40, lanes.y + 206], [lanes.x + 230, lanes.y + 206]);
      await page.mouse.up();
      await keys(page, "a", "Alt+d");
      await rest(page, 1500);
    },
  },
  {
    name: "help",
    settings: { firstSteps: { open: true, done: ["listen"] } },
    do: async (page) => {
      await keys(page, "F1");
      await page.getByLabel("Search the help").fill("crossfade");
      await keys(page, "Enter");
      await rest(page, 1500);
    },
  },
  {
    name: "seam",
    do: async (page, lanes) => {
      await click(page, lanes, 10, 130);
      await keys(page, "j", "j", "j");
      await rest(page, 1500);
    },
  },
  {
    name: "samples",
    do: async (page, lanes) => {
      await click(page, lanes, 340, 60);
      await keys(page, "h");
      for (let i = 0; i < 22; i++) await page.keyboard.press("+");
      await rest(page, 1200);
    },
  },
  {
    name: "silence",
    do: async (page, lanes) => {
      await click(page, lanes, 100, 235);
      await keys(page, "Shift+U");
      await page.getByTestId("threshold-line").first().waitFor();
      await rest(page, 800);
    },
  },
  // The last one: it leaves a recording behind.
  {
    name: "recording",
    settings: { theme: "vat" },
    do: async (page, lanes) => {
      await click(page, lanes, 420, 300);
      await page.getByLabel("Arm Hand bells", { exact: true }).click();
      await page.getByRole("tab", { name: "Track" }).click();
      await page.keyboard.press("*");
      await rest(page, 13_000);
    },
  },
];

async function call<T>(address: string, json?: object, method = "POST"): Promise<T> {
  const init = json && { method, headers: { "content-type": "application/json", origin: url }, body: JSON.stringify(json) };
  return (await fetch(`${url}${address}`, init)).json() as Promise<T>;
}

async function take(browser: Browser, demo: string, { name, settings = {}, at, do: act }: Take): Promise<void> {
  const page = await browser.newPage({ viewport: SIZE });
  await page.addInitScript((state) => localStorage.setItem("wet-thread settings", JSON.stringify({ state, version: 0 })), {
    firstSteps: { open: false, done: [] },
    ...settings,
  });
  // Modes are the version's.
  const modes = keptModes(settings);
  if (Object.keys(modes).length > 0) await call(`/api/versions/${versionId}`, { modes }, "PATCH");
  await page.goto(`${url}${at ?? demo}`);
  if (!at) await page.waitForSelector("[data-testid=lanes][data-samples-per-pixel]");
  await rest(page, 1500);
  const lanes = at ? null : await page.getByTestId("lanes").boundingBox();
  await act?.(page, lanes ?? { x: 0, y: 0 });
  await rest(page, 700);
  await page.screenshot({ path: path.join(FOLDER, `${name}.png`) });
  // What was edited for the picture is taken back: each is taken of the demo as it is made.
  await page.keyboard.press("Escape");
  await page.mouse.up();
  if (!at) await page.waitForSelector("[data-save=saved]");
  await page.close();
  if (Object.keys(modes).length > 0) await call(`/api/versions/${versionId}`, { modes: before }, "PATCH");
  if ((await lastStep()) !== begun) await call(`/api/versions/${versionId}/undo`, { to: begun });
  console.log(`${name}.png`);
}

const { id } = (await call<{ projects: { id: string }[] }>("/api/projects")).projects[0];
const versionId = (await call<{ versions: { id: string }[] }>(`/api/projects/${id}`)).versions[0].id;
const before = (await call<{ modes?: object }>(`/api/versions/${versionId}`)).modes ?? {};
/** The step that the demo is at. */
async function lastStep(): Promise<number> {
  const { steps } = await call<{ steps: { revision: number; state: string }[] }>(`/api/versions/${versionId}/history?last=50`);
  return steps.findLast((s) => s.state === "done")?.revision ?? 0;
}
const begun = await lastStep();
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
try {
  for (const one of TAKES) if (only.length === 0 || only.includes(one.name)) await take(browser, `/p/${id}`, one);
} finally {
  await browser.close();
}
