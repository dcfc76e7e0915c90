import fs from "node:fs";
import path from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import { isCommand, ROOT, say } from "./shell.mjs";

/**
 * Claims a data folder for this start. Where another one serves it already, its address is returned and nothing else is touched. What a
 * start that was killed left running is ended first. `serves` notes what this one started, `leave` gives the folder up.
 */
export async function claim(folder) {
  const file = path.resolve(ROOT, folder, "running.json");
  fs.mkdirSync(path.dirname(file), { recursive: true });
  const known = read(file);
  // The very process that noted it: its number may have gone to another since.
  const lives = () => isCommand(known.pid, "start.mjs") && (known.began === undefined || known.began === begunAt(known.pid));
  if (known && known.pid !== process.pid && lives()) {
    for (let i = 0; i < 1200 && !read(file)?.url && lives(); i++) {
      if (i === 10) say("another start is under way in this folder: waiting for it");
      await wait(100);
    }
    const url = read(file)?.url;
    if (url && lives()) return { url };
  }
  // What serves: our own process, or the framework's while developing.
  const serves = (pid) => isCommand(pid, "web.mjs") || isCommand(pid, "next");
  if (known?.web && serves(known.web)) {
    say("an earlier start was cut off and left its web server: it is ended");
    process.kill(known.web, "SIGTERM");
    for (let i = 0; i < 100 && serves(known.web); i++) await wait(100);
    if (serves(known.web)) process.kill(known.web, "SIGKILL");
  }
  const write = (more) => fs.writeFileSync(file, JSON.stringify({ pid: process.pid, began: begunAt(process.pid), ...more }));
  write({});
  return { serves: (url, web) => write({ url, web }), leave: () => fs.rmSync(file, { force: true }) };
}

/** When a process began, as the system counts it; null where that can't be told. */
function begunAt(pid) {
  try {
    // After its name, which may hold anything, its fields from the third on: the twenty-second is when it began.
    return fs.readFileSync(`/proc/${pid}/stat`, "utf8").split(") ").at(-1).split(" ")[19];
  } catch {
    return null;
  }
}

function read(file) {
  try {
    return JSON.parse(fs.readFileSync(file, "utf8"));
  } catch {
    return null;
  }
}
