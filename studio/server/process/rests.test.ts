import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Rests } from "./rests";

beforeEach(() => void vi.spyOn(console, "error").mockImplementation(() => {}));
afterEach(() => void vi.restoreAllMocks());

describe("a process that ends by itself", () => {
  it("is begun again soon, with longer and longer rests where it ends at once, and it is said", () => {
    const rests = new Rests("The worker");
    expect(Array.from({ length: 9 }, () => rests.after(100, "SIGABRT"))).toEqual([1000, 1000, 1000, 2000, 4000, 8000, 16_000, 30_000, 30_000]);
    expect(console.error).toHaveBeenLastCalledWith("The worker ended by itself (SIGABRT); it is begun again in 30 s.");
    // One that has lived for a while begins anew.
    expect([rests.after(60_000, "SIGKILL"), rests.after(100, "SIGKILL")]).toEqual([1000, 1000]);
  });
});
