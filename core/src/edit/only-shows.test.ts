import { describe, expect, it } from "vitest";
import type { Change } from "../model/document";
import { documentOf, plainClip } from "../testing/arbitraries";
import { onlyShows } from "./only-shows";
import { applyEdits, type Edit } from "./registry";

const doc = documentOf(2, [plainClip({ id: "c" })]);
const chain = (on: boolean, db = -6) => [
  { kind: "gain", db, on },
  { kind: "bell", on },
];
const changes = (edits: Edit[], on = doc) => applyEdits(on, edits).changes;
const [first] = doc.piece.trackOrder;

describe("what only shows or listens", () => {
  const treated = applyEdits(doc, [{ type: "treat", clipIds: ["c"], chain: chain(true) }]).doc;
  it.each<[string, Edit[], boolean]>([
    ["a height", [{ type: "set-track", trackIds: [first], height: 150 }], true],
    ["a track heard by itself", [{ type: "set-track", trackIds: [first], solo: true }], true],
    ["a height and a gain", [{ type: "set-track", trackIds: [first], height: 150, gain: -3 }], false],
    ["a mute", [{ type: "set-track", trackIds: [first], mute: true }], false],
    ["a by-pass", [{ type: "treat", clipIds: ["c"], chain: chain(false) }], true],
    ["a by-pass and another gain", [{ type: "treat", clipIds: ["c"], chain: chain(false, -9) }], false],
    ["a treatment taken off", [{ type: "treat", clipIds: ["c"], chain: null }], false],
    ["a track more", [{ type: "add-track" }], false],
  ])("%s: %j is told", (_, edits, is) => {
    expect(onlyShows(changes(edits, treated))).toBe(is);
  });
  it("is told of things whose fields come out of a store in another order", () => {
    const turned = (value: unknown): unknown =>
      value && typeof value === "object" && !Array.isArray(value)
        ? Object.fromEntries(
            Object.entries(value)
              .reverse()
              .map(([k, v]) => [k, turned(v)]),
          )
        : Array.isArray(value)
          ? value.map(turned)
          : value;
    const stored = changes([{ type: "treat", clipIds: ["c"], chain: chain(false) }], treated).map(
      (c) => ({ ...c, before: turned(c.before) }) as Change,
    );
    expect(onlyShows(stored)).toBe(true);
  });
  it("is nothing that changes nothing", () => {
    expect(onlyShows([])).toBe(false);
  });
});
