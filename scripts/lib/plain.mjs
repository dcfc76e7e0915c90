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

/** Where builds are made, and where the framework serves from while it is developed on. */
export const MAKING = ".next";

export const processScript = (name, build = process.env.WET_THREAD_BUILD ?? MAKING) => at("studio", build, "processes", `${name}.mjs`);

/** Where the audio worklets of a build lie, each build's own: a page that is open goes on with those it was made with. */
export const workletFolder = (build) => at("studio", "public", "worklet", build);
/** What tells the pages of a build where its worklets are. */
export const worklets = (build) => ({ NEXT_PUBLIC_WORKLETS: `/worklet/${build}` });

export async function buildPlain(build) {
  const esbuild = await import("esbuild");
  await Promise.all([
    bundle(esbuild, {
      entryPoints: ["player", "input"].map((name) => ({ in: at("studio", "engine", "worklet", `${name}.worklet.ts`), out: name })),
      outdir: workletFolder(build),
    }),
    bundle(esbuild, {
      platform: "node",
      entryPoints: Object.entries(PROCESSES).map(([out, parts]) => ({ in: at(...parts), out })),
      outdir: path.dirname(processScript("any", MAKING)),
      outExtension: { ".js": ".mjs" },
      plugins: [OURS],
    }),
  ]);
  // Its process would stay beside the server for as long as that runs.
  await esbuild.stop();
}
