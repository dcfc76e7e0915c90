import { beforeEach, describe, expect, it } from "vitest";
import { COMMANDS, LOANS } from "./commands";
import { commandOf, giveKey, keyOf, keysAsText, keysOf, ownKeys, pressed, readKeys, useKeys } from "./keys";

describe("keys", () => {
  beforeEach(() => ownKeys());

  it("belong to one command each from the start, and every command can be told by its id", () => {
    const all = COMMANDS.flatMap((c) => c.keys);
    expect(all.filter((k, i) => all.indexOf(k) !== i)).toEqual([]);
    expect(new Set(COMMANDS.map((c) => c.id)).size).toBe(COMMANDS.length);
    for (const id of LOANS.keys())
      expect(
        COMMANDS.some((c) => c.id === id),
        id,
      ).toBe(true);
  });
  it("are given with what clashes taken away, and put back", () => {
    giveKey("mute", "D", true);
    expect(commandOf("D")?.id).toBe("mute");
    expect(commandOf("U")).toBeUndefined();
    const duplicate = COMMANDS.find((c) => c.id === "duplicate");
    expect(duplicate && keysOf(duplicate)).toEqual([]);
    ownKeys();
    expect([commandOf("D")?.id, commandOf("U")?.id, keyOf("mute")]).toEqual(["duplicate", "mute", "U"]);
  });
  it("are the letter on the key where Alt makes another character of it", () => {
    const press = (init: KeyboardEventInit): string => pressed(new KeyboardEvent("keydown", init));
    expect(press({ key: "†", code: "KeyT", altKey: true })).toBe("Alt+T");
    expect(press({ key: "ˇ", code: "KeyT", altKey: true, shiftKey: true })).toBe("Alt+Shift+T");
    expect(press({ key: "‘", code: "BracketRight", altKey: true })).toBe("Alt+]");
    expect(press({ key: "’", code: "BracketRight", altKey: true, shiftKey: true })).toBe("Alt+}");
    expect(press({ key: "z", code: "KeyY", altKey: true })).toBe("Alt+Z");
    expect(press({ key: "é", code: "Digit2" })).toBe("É");
    expect([press({ key: "k", metaKey: true }), press({ key: "k", ctrlKey: true })]).toEqual(["Mod+K", "Mod+K"]);
  });
  it("are kept as text and read again; what is no set of keys is refused and changes nothing", () => {
    giveKey("split", "Alt+S", false);
    const text = keysAsText();
    ownKeys();
    readKeys(text);
    expect(commandOf("Alt+S")?.id).toBe("split");
    const { changed } = useKeys.getState();
    for (const bad of ["", "[]", "null", '{"wetThreadKeys":2,"changed":{}}', '{"wetThreadKeys":1}'])
      expect(() => readKeys(bad)).toThrow(/no set of keys/);
    expect(useKeys.getState().changed).toBe(changed);
    readKeys('{"wetThreadKeys":1,"changed":{"nothing":["A"],"split":[7],"mute":["M"]}}');
    expect(useKeys.getState().changed).toEqual({ mute: ["M"] });
  });
});
