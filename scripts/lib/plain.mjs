// What runs where no bundler of the application reaches is written as plain JavaScript: audio worklets, and the processes and threads beside the web server.
import { readFile } from "node:fs/promises";
import path from "node:path";
import { ROOT } from "./shell.mjs";

const at = (...parts) => path.join(ROOT, ...parts);

const bundle = (esbuild, options) => esbuild.build({ bundle: true, format: "esm", target: "es2022", logLevel: "error", ...options });

/** Packages stay where they are; our own code is taken in, and finds files beside it where they lie. */
const OURS = {
  name: "ours",
  setup(build) {
    const ours = /^(\.|\/|@\/|@wet-thread\/)/;
    build.onResolve({ filter: /./ }, ({ path: name, kind }) =>
      kind === "entry-point" || ours.test(name) ? undefined : { path: name, external: true },
    );
    build.onLoad({ filter: /\.ts$/ }, async ({ path: file }) => ({
      contents: (await readFile(file, "utf8")).replaceAll("import.meta.dirname", JSON.stringify(path.dirname(file))),
      loader: "ts",
    }));
  },
};

/** A process that read TypeScript by itself would hold a compiler, and take three times as long to begin. */
const PROCESSES = {
  worker: ["studio", "server", "jobs", "worker.ts"],
  apart: ["studio", "server", "apart", "apart.ts"],
  aside: ["studio", "server", "media", "aside-thread.ts"],
  migrate: ["studio", "server", "db", "migrate.ts"],
  demo: ["demo", "first.ts"],
};

export const processScript = (name) => at("studio", ".next", "processes", `${name}.mjs`);

export async function buildPlain() {
  const esbuild = await import("esbuild");
  await Promise.all([
    bundle(esbuild, {
      entryPoints: ["player", "input"].map((name) => ({ in: at("studio", "engine", "worklet", `${name}.worklet.ts`), out: name })),
      outdir: at("studio", "public", "worklet"),
    }),
    bundle(esbuild, {
      platform: "node",
      entryPoints: Object.entries(PROCESSES).map(([out, parts]) => ({ in: at(...parts), out })),
      outdir: path.dirname(processScript("any")),
      outExtension: { ".js": ".mjs" },
      plugins: [OURS],
    }),
  ]);
  // Its process would stay beside the server for as long as that runs.
  await esbuild.stop();
}
