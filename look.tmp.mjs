import { mkdirSync } from "node:fs";
import { chromium } from "@playwright/test";

mkdirSync("/tmp/shots", { recursive: true });
const b = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
export const open = async (w = 1280, h = 800, theme = "day") => {
  const p = await b.newPage({ viewport: { width: w, height: h } });
  p.on("pageerror", (e) => console.log("ERR", e.message));
  p.on("console", (m) => m.type() === "error" && console.log("CON", m.text().slice(0, 300)));
  await p.addInitScript((t) => {
    if (!localStorage.getItem("wet-thread settings"))
      localStorage.setItem("wet-thread settings", JSON.stringify({ state: { theme: t }, version: 0 }));
  }, theme);
  const list = await (await fetch("http://127.0.0.1:4413/api/projects")).json();
  const id = (list.projects ?? list)[0].id;
  await p.goto(`http://127.0.0.1:4413/p/${id}`);
  await p.waitForSelector("[data-testid=lanes][data-samples-per-pixel]");
  await p.waitForTimeout(1200);
  return p;
};
export const shot = (p, name) => p.screenshot({ path: `/tmp/shots/${name}.png` });
const { run } = await import(process.argv[2]);
await run({ open, shot });
await b.close();
