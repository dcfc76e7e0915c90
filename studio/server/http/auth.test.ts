import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { admit, guessedRight, guessedWrong, waitFor } from "./auth";

const from = (address: string, more: Record<string, string> = {}): Headers => new Headers({ "x-forwarded-for": address, ...more });
const basic = (text: string) => ({ authorization: `Basic ${Buffer.from(`anyone:${text}`).toString("base64")}` });

beforeEach(() => void vi.stubEnv("WET_THREAD_PASSPHRASE", "warp and weft"));
afterEach(() => {
  for (const address of ["a", "b", "here"]) guessedRight(from(address));
  vi.unstubAllEnvs();
});

describe("guesses at the passphrase", () => {
  it("are counted by the address that the front tells, its last word", async () => {
    vi.stubEnv("WET_THREAD_FRONTED", "1");
    for (let i = 0; i < 6; i++) await admit(from(`made up ${i}, a`, basic(`wrong ${i}`)));
    expect(waitFor(from("a"))).toBeGreaterThan(0);
    expect(waitFor(from("b"))).toBe(0);
  });
  it("are counted together where no front stands before the server: anybody could say where he is", async () => {
    for (let i = 0; i < 6; i++) await admit(from(`10.0.0.${i}`, basic(`wrong ${i}`)));
    expect(waitFor(from("10.9.9.9"))).toBeGreaterThan(0);
  });
  it("wait twice as long each time, whichever way they come, and not even the right one counts meanwhile", async () => {
    const now = Date.now();
    for (let i = 0; i < 4; i++) guessedWrong(from("a"), now);
    expect(waitFor(from("a"), now)).toBe(0);
    const waits = Array.from({ length: 8 }, () => {
      guessedWrong(from("a"), now);
      return waitFor(from("a"), now) / 1000;
    });
    expect(waits).toEqual([1, 2, 4, 8, 16, 32, 60, 60]);
    expect(await admit(from("a", basic("warp and weft")))).toMatchObject({ in: false });
    guessedRight(from("a"));
    expect(await admit(from("a", basic("warp and weft")))).toEqual({ in: true, wait: 0 });
  });
});
