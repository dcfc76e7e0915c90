import { describe, expect, it } from "vitest";
import { COMMANDS } from "../commands";
import { type Entry, TREES } from "./menu-trees";

/** Commands that a menu makes of what it is about, by the name of the entry that stands for them. */
const MADE: Readonly<Record<string, RegExp>> = { tools: /^tool-/, take: /^take-\d$/, tabs: /^tab-/, section: /^insert-section$/ };
/** The tallest menu that fits into two thirds of a screen of 768 pixels: rows of 28, lines of 9, 10 around them. */
const MOST = (768 * 2) / 3;

const idsOf = (entries: readonly Entry[]): string[] =>
  entries.flatMap((e) => (typeof e === "string" ? [e] : "group" in e ? idsOf(e.of) : [e[0]])).filter((id) => id !== "-");
const sheets = (entries: readonly Entry[]): (readonly Entry[])[] => [
  entries,
  ...entries.flatMap((e) => (typeof e === "object" && "group" in e ? sheets(e.of) : [])),
];

describe("menus", () => {
  const trees = Object.entries(TREES) as [string, readonly Entry[]][];
  it("name only commands that there are", () => {
    const known = new Set(COMMANDS.map((c) => c.id));
    for (const [place, tree] of trees)
      expect(
        idsOf(tree).filter((id) => !id.startsWith("{") && !known.has(id)),
        place,
      ).toEqual([]);
  });
  it("hold every command, in the menu of what it acts on", () => {
    const all = trees.flatMap(([, tree]) => idsOf(tree));
    const made = all.filter((id) => id.startsWith("{")).map((id) => MADE[id.slice(1, -1)]);
    const missing = COMMANDS.filter((c) => !all.includes(c.id) && !made.some((m) => m?.test(c.id)));
    expect(missing.map((c) => c.id)).toEqual([]);
  });
  it("are no longer than two thirds of a small screen", () => {
    for (const [place, tree] of trees)
      for (const sheet of sheets(tree)) {
        const lines = sheet.filter((e) => e === "-").length;
        expect((sheet.length - lines) * 28 + lines * 9 + 10, place).toBeLessThanOrEqual(MOST);
      }
  });
  it("have no command twice in one menu", () => {
    for (const [place, tree] of trees) {
      const ids = idsOf(tree);
      expect(
        ids.filter((id, i) => ids.indexOf(id) !== i),
        place,
      ).toEqual([]);
    }
  });
});

describe("every command", () => {
  it("has a title that says what it does, and a way to it besides the palette: a key or a menu", () => {
    const inMenus = new Set(Object.values(TREES).flatMap((t) => idsOf(t as readonly Entry[])));
    for (const c of COMMANDS) {
      expect(c.title.length, c.id).toBeGreaterThan(2);
      expect(c.keys.length > 0 || inMenus.has(c.id) || /^(tool|tab)-/.test(c.id), c.id).toBe(true);
    }
  });
});
