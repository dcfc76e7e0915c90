import { describe, expect, it } from "vitest";
import { describeStep, type GridStep, parseStep } from "./grid-step";

describe("reading steps", () => {
  it("understands what it writes, for every kind", () => {
    const steps: GridStep[] = [
      { kind: "note", division: 16, feel: "straight" },
      { kind: "note", division: 8, feel: "triplet" },
      { kind: "note", division: 4, feel: "dotted" },
      { kind: "bar", count: 1 },
      { kind: "bar", count: 4 },
      { kind: "beat", count: 3 },
      { kind: "part", parts: 5 },
      { kind: "tick", count: 480 },
      { kind: "time", milliseconds: 10 },
      { kind: "time", milliseconds: 333.3 },
      { kind: "time", milliseconds: 1500 },
      { kind: "time", milliseconds: 120_000 },
      { kind: "frame", fraction: 1, count: 5 },
      { kind: "frame", fraction: 0.5, count: 1 },
      { kind: "frame", fraction: 0.25, count: 1 },
      { kind: "sample", count: 100 },
      { kind: "sample", count: 1 },
    ];
    for (const step of steps) expect(parseStep(describeStep(step))).toEqual(step);
  });
  it.each(["", "0 ms", "1/3", "2.5 beats", "-1 s", "many bars", "3 furlongs", "beat in 1", "beat in 33"])(
    "says what it did not understand in %j",
    (text) => {
      expect(() => parseStep(text)).toThrow(/was not understood/);
    },
  );
});
