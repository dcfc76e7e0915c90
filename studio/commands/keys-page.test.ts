import { expect, it } from "vitest";
import { COMMANDS } from "./commands";
import { keyText } from "./keys";
import { type Entry, TREES } from "./menus/menu-trees";

/** What the pointer does while keys are held: no commands. */
const HELD = [
  ["Alt while dragging", "copies; at an end, fills with copies; in the split tool, equal parts; with the eraser only what lies under the stroke"],
  ["Alt on a seam's mark", "pulls a blend"],
  ["Alt+Shift at an end", "stretches"],
  ["Shift while dragging", "keeps the direction"],
  ["Ctrl while dragging", "a frame that selects"],
  ["wheel; with Ctrl, Shift, Alt", "scrolls; zooms at the pointer, scrolls sideways, heights of all tracks"],
  ["a tool's, a mode's or the snap key, held", "lends it to one gesture"],
  ["letters, in the slice kit", "strike slices"],
] as const;

const idsIn = (entries: readonly Entry[]): string[] =>
  entries.flatMap((e) => (typeof e === "string" ? [e] : "group" in e ? idsIn(e.of) : [e[0]])).filter((id) => COMMANDS.some((c) => c.id === id));

const code = (key: string): string => (key === "`" ? "`` ` ``" : `\`${key.replace("|", "\\|")}\``);
const row = (id: string): string[] => {
  const command = COMMANDS.find((c) => c.id === id);
  return command?.keys.length ? [`| ${command.keys.map((k) => code(keyText(k))).join(", ")} | ${command.title.replace("|", "\\|")} |`] : [];
};

/** Every key, in groups as the bar's menus have them; what is in none of them comes last. */
function keysPage(): string {
  const groups = Object.values(TREES)
    .flat()
    .flatMap((e) => (typeof e === "object" && "group" in e ? [[e.group, idsIn(e.of)] as const] : []));
  const told = new Set<string>();
  const parts = [...groups, ["All else", COMMANDS.map((c) => c.id)] as const].flatMap(([name, ids]) => {
    const rows = [...new Set(ids)].filter((id) => !told.has(id)).flatMap((id) => row(id));
    for (const id of ids) told.add(id);
    return rows.length ? [`## ${name}`, "", "| key | does |", "|---|---|", ...rows, ""] : [];
  });
  return [
    "# Keys",
    "",
    "Made from the commands (`npm run keys`). Every key can be changed: Ctrl+/ shows them all. On a Mac, Cmd and Option stand for Ctrl and Alt.",
    "",
    "## Held while the pointer works",
    "",
    "| held | does |",
    "|---|---|",
    ...HELD.map(([key, does]) => `| ${key} | ${does} |`),
    "",
    ...parts,
  ].join("\n");
}

it("the page of keys in the docs is what the commands have", async () => {
  await expect(keysPage()).toMatchFileSnapshot("../../docs/keys.md");
});
