import fs from "node:fs";
import path from "node:path";
import { describe, expect, it } from "vitest";
import { COMMANDS } from "@/commands/commands";
import { guidePages } from "./server/pieces/guide";

const DOCS = path.join(import.meta.dirname, "../docs");
const pages = guidePages(fs.readFileSync(path.join(DOCS, "guide.md"), "utf8"));

describe("the guide", () => {
  it("is a page for each of its headings, each with words of its own and a name that no other has", () => {
    expect(pages.length).toBeGreaterThan(20);
    expect(new Set(pages.map((p) => p.id)).size).toBe(pages.length);
    for (const page of pages) expect(page.paragraphs.flat().length, page.title).toBeGreaterThan(0);
  });
  it("shows pictures that are there", () => {
    const shown = pages.flatMap((p) => (p.picture ? [p.picture] : []));
    expect(shown.length).toBeGreaterThan(10);
    for (const { name, shows } of shown) {
      expect(fs.existsSync(path.join(DOCS, "screenshots", `${name}.png`)), name).toBe(true);
      expect(shows.length).toBeGreaterThan(5);
    }
  });
  it("names only keys that commands have", () => {
    const keys = new Set(COMMANDS.flatMap((c) => c.keys));
    const named = pages.flatMap((p) => p.paragraphs.flat().filter((w) => w.as === "code")).map((w) => w.text);
    const written = named
      .filter((text) => text.length === 1 || /^(Ctrl|Alt|Shift|F\d|Enter|Escape|Space|Delete)/.test(text))
      .map((text) => text.replace("Ctrl", "Mod").replace("←", "ArrowLeft").replace("→", "ArrowRight"));
    expect(written.length).toBeGreaterThan(60);
    expect(written.filter((key) => !keys.has(key))).toEqual([]);
  });
  it("reads words as they are written, and refuses what a page can't show", () => {
    expect(guidePages('# No page\n\n## Cut & "move"\n\nPress `/` *once*, or **twice** <b>.\n\n![Two clips](screenshots/two-clips.png)')).toEqual([
      {
        id: "cut-move-",
        title: 'Cut & "move"',
        paragraphs: [
          [
            { text: "Press " },
            { text: "/", as: "code" },
            { text: " " },
            { text: "once", as: "em" },
            { text: ", or " },
            { text: "twice", as: "strong" },
            { text: " " },
            { text: "<b>" },
            { text: "." },
          ],
        ],
        picture: { name: "two-clips", shows: "Two clips" },
      },
    ]);
    expect(() => guidePages("## A list\n\n- one\n- two")).toThrow(/can't show/);
    expect(() => guidePages("## A picture\n\n![x](https://elsewhere.example/x.png)")).toThrow(/lies elsewhere/);
    expect(() => guidePages("## A picture\n\n![x](screenshots/../../secret.png)")).toThrow(/lies elsewhere/);
  });
});
