import { describe, expect, it } from "vitest";
import { excerpt, finder } from "./help";

const find = finder([
  { id: "seams", title: "Make it inaudible", text: "A crossfade blends two clips; a raw seam may click." },
  { id: "listen", title: "Listen", text: "Click in a ruler to place the playhead." },
  { id: "blend", title: "Blend: crossfade what meets", text: "C" },
]);
const ids = (search: string) => find(search).map((f) => f.id);

describe("finding in the help", () => {
  it("puts first what holds the words in its title", () => expect(ids("crossfade")).toEqual(["blend", "seams"]));
  it("finds beginnings of words, and words that differ by a letter", () => {
    expect(ids("crossf")).toEqual(["blend", "seams"]);
    expect(ids("crosfade")).toEqual(["blend", "seams"]);
    // Among short ones those are other words.
    expect(ids("clock")).toEqual([]);
  });
  it("wants all words, and any of them where nothing holds all", () => {
    expect(ids("crossfade click")).toEqual(["seams"]);
    expect(ids("playhead crossfade").length).toBe(3);
    expect(ids("xyzzy")).toEqual([]);
  });
  it("says which words it found, for marking them", () => expect(find("crossf")[0].terms).toEqual(["crossfade"]));
});

describe("an excerpt", () => {
  const text = `${"word ".repeat(40)}needle ${"thread ".repeat(40)}`.trim();
  it("holds the word, cut at spaces, with a sign where something is left out", () => {
    const part = excerpt(text, ["needle"]);
    expect(part).toMatch(/^…\u00a0word .* needle thread .* thread\u00a0…$/);
    expect(part.length).toBeLessThan(170);
  });
  it("begins at the beginning where the word is near it, or is not there", () => {
    expect(excerpt("A short one.", ["short"])).toBe("A short one.");
    expect(excerpt(text, ["nothing"])).toMatch(/^word .*word\u00a0…$/);
  });
});
