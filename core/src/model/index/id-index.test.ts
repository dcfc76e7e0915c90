import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { IdIndex } from "./id-index";

interface Thing {
  readonly id: string;
  readonly n: number;
}
const ids = fc.integer({ min: 0, max: 900 }).map((n) => `c${n % 30}-${n}`);
const changes = fc
  .array(fc.record({ id: ids, n: fc.option(fc.integer()) }), { maxLength: 700 })
  .map((list) => list.map(({ id, n }) => ({ id, after: n === null ? null : { id, n } })));

describe("an index of things by id", () => {
  it("holds what a map holds after the same changes, few or many, and each index stays as it was", () => {
    fc.assert(
      fc.property(fc.array(changes, { maxLength: 5 }), (steps) => {
        let index = IdIndex.from<Thing>([]);
        const map = new Map<string, Thing>();
        const states: [IdIndex<Thing>, Map<string, Thing>][] = [];
        for (const step of steps) {
          index = index.with(step);
          for (const { id, after } of step) {
            if (after) map.set(id, after);
            else map.delete(id);
          }
          states.push([index, new Map(map)]);
        }
        for (const [was, held] of states) {
          expect(was.size).toBe(held.size);
          expect(new Map([...was.values()].map((v) => [v.id, v]))).toEqual(held);
          for (const id of ["c0-0", "c29-899", ...held.keys()]) expect(was.get(id)).toBe(held.get(id));
        }
      }),
      { numRuns: 60 },
    );
  });

  it("finds each of things that share a place", () => {
    // Some of so many ids have the same hash as far as it counts.
    const many = Array.from({ length: 60_000 }, (_, n) => ({ id: `k${n}`, n }));
    const index = IdIndex.from(many);
    expect(index.size).toBe(many.length);
    expect(many.every((v) => index.get(v.id) === v)).toBe(true);
    const odd = index.with(many.filter((v) => v.n % 2 === 0).map(({ id }) => ({ id, after: null })));
    expect(odd.size).toBe(30_000);
    expect(many.every((v) => odd.has(v.id) === (v.n % 2 === 1))).toBe(true);
    const renewed = odd.with(many.map((v) => ({ id: v.id, after: { ...v, n: -v.n } })));
    expect(many.every((v) => renewed.get(v.id)?.n === -v.n && odd.get(v.id)?.n !== -v.n - 1)).toBe(true);
    expect(renewed.size).toBe(many.length);
  });
});
