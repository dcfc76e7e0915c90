import { describe, expect, it } from "vitest";
import { audible, plantedSeams } from "../testing/planted-seams";
import { clickLevel } from "./measure";

describe("the click measure on 1,000 planted seams", () => {
  const list = plantedSeams(1000).map((p) => ({ ...p, found: clickLevel(p.before, p.after) }));
  const planted = list.filter(audible);
  const clean = list.filter((p) => p.jump === null);
  it("finds every jump that stands out of its material, at its level", () => {
    expect(planted.length).toBeGreaterThan(300);
    expect(planted.filter((p) => p.found === null)).toHaveLength(0);
    for (const p of planted) expect(Math.abs((p.found as number) - (p.jump as number)), `${p.material} ${p.jump}`).toBeLessThan(4);
  });
  it("says none where the material runs on", () => {
    const wrong = clean.filter((p) => p.found !== null);
    expect(clean).toHaveLength(500);
    // A voice whose next pulse begins just at the splice can't be told from a cut by its sound alone; unbroken seams are told by their clips.
    expect(wrong.length).toBeLessThanOrEqual(2);
    expect(wrong.every((p) => p.material === "voice")).toBe(true);
  });
  it("hears a cut against silence, and no fade of two milliseconds", () => {
    const silence = new Float64Array(2400);
    for (const { before } of list.slice(0, 40)) {
      // Cut just where the wave crosses zero there is little to hear.
      const body = Math.sqrt(before.subarray(2160).reduce((sum, v) => sum + v * v, 0) / 240);
      if (Math.abs(before[2399]) < Math.max(0.002, 0.6 * body)) continue;
      expect(clickLevel(before, silence)).not.toBeNull();
      const faded = before.map((v, i) => (i < 2400 - 96 ? v : v * Math.sin((Math.PI / 2) * ((2400 - i - 0.5) / 96))));
      expect(clickLevel(faded, silence)).toBeNull();
    }
  });
});
