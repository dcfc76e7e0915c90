import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: ".",
  testMatch: "scenes/*.spec.ts",
  timeout: 120_000,
  expect: { timeout: 10_000 },
  // Scenes that listen, record or hold everything at its limit have the machine to themselves; the others go two at a time.
  projects: [
    { name: "side by side", grepInvert: /@alone/, fullyParallel: true },
    { name: "alone", grep: /@alone/, workers: 1 },
  ],
  workers: 2,
  retries: 0,
  reporter: [["list"], ["json"]],
  outputDir: "../.test/results",
  use: {
    baseURL: process.env.WET_THREAD_URL ?? "http://127.0.0.1:4310",
    viewport: { width: 1280, height: 800 },
    // A trace of each scene takes a seventh of its time: WET_THREAD_TRACE=1 keeps those of scenes that fail.
    trace: process.env.WET_THREAD_TRACE ? "retain-on-failure" : "off",
    screenshot: "only-on-failure",
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--autoplay-policy=no-user-gesture-required",
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
      ],
    },
  },
});
