// Compiles the inner loops of core/assembly to WebAssembly and writes them, as text, where the core takes them from. A test compiles them
// too and compares, so that what is shipped is what is written.
import { spawnSync } from "node:child_process";
import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { ROOT } from "./lib/shell.mjs";

const folder = fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-kernels-"));
const out = path.join(folder, "kernels.wasm");
const asc = path.join(ROOT, "node_modules", "assemblyscript", "bin", "asc.js");
const source = path.join(ROOT, "core", "assembly", "kernels.ts");
const flags = [
  "--runtime",
  "stub",
  "--enable",
  "simd",
  "--enable",
  "nontrapping-f2i",
  "-O3",
  "--shrinkLevel",
  "1",
  "--noAssert",
  "--initialMemory",
  "1",
];
const done = spawnSync("node", [asc, source, "--outFile", out, ...flags], { cwd: ROOT, stdio: ["ignore", "inherit", "inherit"] });
if (done.status !== 0) process.exit(1);
const text = fs.readFileSync(out).toString("base64");
fs.rmSync(folder, { recursive: true });
const target = process.argv[2] ?? path.join(ROOT, "core", "src", "kernels", "wasm.ts");
fs.writeFileSync(
  target,
  `/** core/assembly/kernels.ts, compiled by scripts/kernels.mjs; not written by hand. */\nexport const KERNELS =\n  "${text}";\n`,
);
console.log(`${Buffer.from(text, "base64").length} bytes`);
