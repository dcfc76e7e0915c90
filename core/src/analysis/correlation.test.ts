import fc from "fast-check";
import { expect, it } from "vitest";
import { noise } from "../testing/arbitraries";
import { correlation } from "./correlation";

it("is the sum of products at each shift, whatever the lengths", () => {
  fc.assert(
    fc.property(fc.nat(300), fc.nat(300), fc.nat(400), fc.integer({ min: 1, max: 99 }), (n, m, reach, seed) => {
      const [a, b] = [noise(n, seed), noise(m, seed + 1)];
      const found = correlation(a, b, reach);
      for (let by = -reach; by <= reach; by++) {
        let sum = 0;
        for (let i = Math.max(0, by); i < Math.min(n, m + by); i++) sum += a[i] * b[i - by];
        expect(found[by + reach]).toBeCloseTo(sum, 8);
      }
    }),
    { numRuns: 40 },
  );
});
