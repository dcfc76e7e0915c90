import path from "node:path";

/** Where the code of a process or thread beside the web server lies, as plain JavaScript (scripts/lib/plain.mjs writes it). */
export const processScript = (name: "worker" | "apart" | "aside"): string =>
  path.join(process.env.WET_THREAD_STUDIO ?? process.cwd(), process.env.WET_THREAD_BUILD ?? ".next", "processes", `${name}.mjs`);
