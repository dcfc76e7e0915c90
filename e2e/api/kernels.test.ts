import { spawnSync } from "node:child_process";
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { expect, it } from "vitest";
import { ROOT } from "../../scripts/lib/shell.mjs";

it("what is shipped is what is written in core/assembly", () => {
  const out = path.join(fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-")), "wasm.ts");
  const done = spawnSync("node", [path.join(ROOT, "scripts/kernels.mjs"), out], { encoding: "utf8" });
  expect(done.status, done.stderr).toBe(0);
  const made = fs.readFileSync(out, "utf8");
  fs.rmSync(path.dirname(out), { recursive: true });
  const text = (file: string): string | undefined => /"([A-Za-z0-9+/=]+)"/.exec(file)?.[1];
  expect(text(made)).toBe(text(fs.readFileSync(path.join(ROOT, "core/src/kernels/wasm.ts"), "utf8")));
});
