import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { keptModes, Modes } from "./modes";

describe("modes that were kept", () => {
  it("are read as far as they hold, whatever they came to be", () => {
    fc.assert(
      fc.property(fc.dictionary(fc.constantFrom(...Object.keys(Modes.shape), "other"), fc.jsonValue()), (kept) => {
        expect(Modes.partial().safeParse(keptModes(kept)).success).toBe(true);
      }),
    );
    for (const none of [null, undefined, 3, "snapOn", []]) expect(keptModes(none)).toEqual({});
  });
  it("lose nothing that holds", () => {
    const some = {
      snapOn: false,
      neighbours: "ripple",
      step: { kind: "bar", count: 2 },
      finest: null,
      nudge: { kind: "grid" },
      rulers: ["bars"],
    } as const;
    expect(keptModes({ ...some, edgeFadeMs: -1, reach: "world" })).toEqual(some);
  });
});
