import { describe, expect, it } from "vitest";
import { type KnownStep, Past } from "./past";

const step = (kind: KnownStep["kind"], revision: number, target: number | null = null): KnownStep => ({
  kind,
  revision,
  key: `k${revision}`,
  row: null,
  name: `Step ${revision}`,
  target,
  changes: [],
});
const redone = (past: Past): readonly (number | null)[] | null => past.targets({ direction: "redo" })?.map((e) => e.revision) ?? null;

describe("what a page knows of the past", () => {
  it("names no edit for a redo where one was undone that it does not know: another would be meant", () => {
    // A page that was just opened knows the one edit that came since.
    const past = new Past().known(step("edit", 8)).known(step("undo", 9, 8));
    expect(redone(past)).toEqual([8]);
    // Undone further back than it has read: that one comes first now.
    const further = past.known(step("undo", 10, 7));
    expect(redone(further)).toBeNull();
    const rows = [7, 8].map((revision) => ({ revision, name: "", row: null, state: "undone" as const }));
    expect(redone(further.listed(rows, 5))).toEqual([7]);
    // Whatever could be done again can't after another edit.
    expect(redone(further.known(step("edit", 11)))).toEqual([]);
  });
  it("does not say that nothing can be done again before it has been told", () => {
    expect(redone(new Past())).toBeNull();
    expect(redone(new Past().listed([], 0))).toEqual([]);
  });
});
