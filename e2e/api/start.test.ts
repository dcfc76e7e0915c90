import { type ChildProcess, spawn } from "node:child_process";
import fs from "node:fs";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { freePort, ROOT } from "../../scripts/lib/shell.mjs";

/** Elsewhere than the project, by an address from the root. */
const home = `/var/tmp/wet-thread-started-${process.pid}`;
const running: ChildProcess[] = [];

/** The start command, as a person runs it; what it says is kept. */
function start(port: number, env: Record<string, string> = {}) {
  const child = spawn("node", ["scripts/start.mjs"], {
    cwd: ROOT,
    env: { ...process.env, PORT: String(port), WET_THREAD_DATA: home, ...env },
    stdio: ["ignore", "pipe", "pipe"],
  });
  running.push(child);
  let said = "";
  for (const stream of [child.stdout, child.stderr])
    stream.on("data", (d) => {
      said += d;
    });
  const ended = new Promise<number | null>((resolve) => child.once("exit", resolve));
  const says = async (words: RegExp): Promise<void> => {
    for (let i = 0; i < 1200 && !words.test(said); i++) await new Promise((wake) => setTimeout(wake, 50));
    expect(said).toMatch(words);
  };
  return { child, ended, says, said: () => said };
}

/** Processes whose command names the data folder, or that serve from it. */
const left = (): string[] =>
  fs
    .readdirSync("/proc")
    .filter((p) => /^\d+$/.test(p))
    .filter((p) => {
      try {
        return fs.readFileSync(`/proc/${p}/cmdline`, "utf8").includes(`${home}/`);
      } catch {
        return false;
      }
    });
const postmaster = (): number => Number(fs.readFileSync(path.join(home, "postgres", "postmaster.pid"), "utf8").split("\n")[0]);
const well = async (port: number): Promise<boolean> => (await fetch(`http://127.0.0.1:${port}/api/health`).catch(() => null))?.status === 200;
async function comes(true_: () => Promise<boolean>): Promise<void> {
  for (let i = 0; i < 600; i++) {
    if (await true_()) return;
    await new Promise((wake) => setTimeout(wake, 50));
  }
  throw new Error("It did not come about within half a minute.");
}

let port: number;
beforeAll(async () => {
  fs.rmSync(home, { recursive: true, force: true });
  port = await freePort();
});
afterAll(async () => {
  for (const child of running) child.kill("SIGINT");
  await comes(async () => left().length === 0);
  fs.rmSync(home, { recursive: true, force: true });
});

describe("the start command", () => {
  it("says in one line what is wrong with a port, and starts nothing", async () => {
    const wrong = start(0, { PORT: "abc" });
    expect(await wrong.ended).toBe(1);
    expect(wrong.said()).toMatch(/^wet thread: PORT=abc is no port.*Nothing was started\.\n$/);
    expect(left()).toEqual([]);
  });
  it("mends a cluster and a demo that were cut off while they were made", async () => {
    // Killed in the midst of making the cluster: what is there of it is not whole.
    fs.mkdirSync(path.join(home, "postgres.new", "base"), { recursive: true });
    const first = start(port);
    await first.says(/making the demo/);
    await comes(async () => {
      const answer = await fetch(`http://127.0.0.1:${port}/api/projects`).catch(() => null);
      return ((await answer?.json())?.projects ?? []).length === 1;
    });
    first.child.kill("SIGKILL");
    await first.ended;
    const second = start(port);
    await second.says(/left its web server: it is ended/);
    await second.says(/making the demo/);
    await second.says(/open http/);
    const { projects } = await (await fetch(`http://127.0.0.1:${port}/api/projects`)).json();
    expect(projects.map((p: { tracks: number }) => p.tracks > 5)).toEqual([true]);
  });
  it("joins one that runs already, and takes nothing from it", async () => {
    const other = start(port);
    expect(await other.ended).toBe(0);
    expect(other.said()).toMatch(/it runs already: open http/);
    expect(await well(port)).toBe(true);
  });
  it("starts the database again when that is killed, and a start while it recovers waits for it", async () => {
    process.kill(postmaster(), "SIGKILL");
    await comes(() => well(port));
    // A backend that is killed makes the database recover; the start command is killed with it.
    const owner = running.findLast((c) => c.exitCode === null && c.signalCode === null) as ChildProcess;
    owner.kill("SIGKILL");
    process.kill(postmaster(), "SIGQUIT");
    const next = start(port);
    await next.says(/open http/);
    expect(await well(port)).toBe(true);
  });
  it("leaves nothing behind when it is ended, by Ctrl+C or a closed terminal", async () => {
    const owner = running.at(-1) as ChildProcess;
    owner.kill("SIGHUP");
    await comes(async () => left().length === 0);
    expect(await well(port)).toBe(false);
    expect(fs.existsSync(path.join(home, "running.json"))).toBe(false);
  });
});
