import { type ChildProcess, spawn } from "node:child_process";
import fs from "node:fs";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { freePort, ROOT } from "../../scripts/lib/shell.mjs";
import { noise, talkTo, until, wavFile } from "../client";
import { choicesOf, Hand } from "../hand";

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

/** Processes whose command names the data folder, and those that were started for it. */
const left = (): string[] => [
  ...commands((pid) => fs.readFileSync(`/proc/${pid}/cmdline`, "utf8").includes(`${home}/`)).map(([, c]) => c),
  ...ours(),
];
/** The command lines of all processes that were started for the data folder. */
const ours = (): string[] => commands((pid) => fs.readFileSync(`/proc/${pid}/environ`, "utf8").includes(`WET_THREAD_DATA=${home}`)).map(([, c]) => c);
const childrenOf = (parent: number, named: string): number[] =>
  commands((pid) => new RegExp(`^PPid:\\s+${parent}$`, "m").test(fs.readFileSync(`/proc/${pid}/status`, "utf8")))
    .filter(([, command]) => command.includes(named))
    .map(([pid]) => pid);
/** Processes of which something holds, and their commands. */
const commands = (holds: (pid: string) => boolean): [number, string][] =>
  fs
    .readdirSync("/proc")
    .filter((p) => /^\d+$/.test(p))
    .flatMap((p): [number, string][] => {
      try {
        return holds(p) ? [[Number(p), fs.readFileSync(`/proc/${p}/cmdline`, "utf8").replaceAll("\0", " ")]] : [];
      } catch {
        // It has ended meanwhile.
        return [];
      }
    });
/** How many kills; a long look takes sixty. */
const KILLS = Number(process.env.WET_THREAD_KILLS ?? 12);
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
    // An old note names a process whose number has gone to another since.
    const other = spawn("node", ["-e", "setInterval(() => {}, 100_000)", "start.mjs"], { stdio: "ignore" });
    running.push(other);
    fs.writeFileSync(path.join(home, "running.json"), JSON.stringify({ pid: other.pid, began: "1", url: "http://127.0.0.1:9", web: 1 }));
    const first = start(port);
    await first.says(/making the demo/);
    expect(other.exitCode).toBeNull();
    expect(first.said()).not.toMatch(/another start/);
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
  it(
    "loses nothing that was acknowledged while it, its web server, worker and database, or all of them, are killed in turn with recordings coming in",
    async () => {
      const { must, call } = talkTo(() => `http://127.0.0.1:${port}`);
      const hands = [await Hand.start({ call, must }), await Hand.start({ call, must })];
      const choices = [choicesOf(3), choicesOf(4)];
      const project = await must("POST", "/api/projects", { name: "Killed", sampleRate: 48_000 });
      // At another rate, so that reading it takes a while.
      const samples = noise(44_100 * 60, 5);
      const file = wavFile([samples, samples], "i16", 44_100);
      const sent: string[] = [];
      const send = async (): Promise<void> => {
        const answer = await call("POST", `/api/projects/${project.id}/sources?name=long.wav`, file).catch(() => null);
        if (answer?.status === 201) sent.push(answer.body.id);
      };
      const owner = (): ChildProcess => running.findLast((c) => c.exitCode === null && c.signalCode === null) as ChildProcess;
      const web = (): number => JSON.parse(fs.readFileSync(path.join(home, "running.json"), "utf8")).web;
      const kill = (pid: number | undefined): void => {
        try {
          if (pid) process.kill(pid, "SIGKILL");
        } catch (error) {
          // It was gone before it could be killed.
          if ((error as NodeJS.ErrnoException).code !== "ESRCH") throw error;
        }
      };
      const KILLED: readonly (readonly [string, () => void])[] = [
        ["web", () => kill(web())],
        ["worker", () => kill(childrenOf(web(), "worker.mjs")[0])],
        ["backend", () => kill(childrenOf(postmaster(), "wet_thread wet_thread")[0])],
        ["postmaster", () => kill(postmaster())],
        ["start", () => kill(owner().pid)],
        ["all", () => [owner().pid, web(), childrenOf(web(), "worker.mjs")[0], postmaster()].forEach(kill)],
      ];
      for (let round = 0; round < KILLS; round++) {
        const [what, strike] = KILLED[round % KILLED.length];
        const before = hands.map((h) => h.acknowledged);
        let struck = false;
        const done = (more: number) => hands.every((h, i) => h.acknowledged >= before[i] + more);
        const work = hands.map((h, i) => h.work(choices[i], () => struck && done(30)));
        const sending = round % 2 === 0 ? send() : Promise.resolve();
        await comes(async () => done(3 + (round % 5)));
        strike();
        struck = true;
        await Promise.all([...work, sending]);
        if (what === "start" || what === "all") await start(port).says(/open http/);
        await comes(() => well(port));
        for (const hand of hands) await hand.check();
      }
      expect(sent.length).toBeGreaterThan(0);
      // Each that was acknowledged is read in the end; one whose answer was lost is there whole too, or not at all, and none hangs.
      const { sources } = await until(
        () => must("GET", `/api/projects/${project.id}`),
        (p) => p.sources.every((s: { status: string }) => s.status === "ready" || s.status === "failed"),
      );
      for (const source of sources) expect(source).toMatchObject({ status: "ready", length: 48_000 * 60 });
      expect(sources.map((s: { id: string }) => s.id)).toEqual(expect.arrayContaining(sent));
      // One of each: the start command, the web server, the worker.
      expect(
        ours()
          .map((c) => /(start\.mjs|web\.mjs|worker\.mjs)/.exec(c)?.[0])
          .filter(Boolean)
          .sort(),
      ).toEqual(["start.mjs", "web.mjs", "worker.mjs"]);
    },
    40_000 * KILLS,
  );
  it("leaves nothing behind when it is ended, by Ctrl+C or a closed terminal", async () => {
    const owner = running.at(-1) as ChildProcess;
    owner.kill("SIGHUP");
    await comes(async () => left().length === 0);
    expect(await well(port)).toBe(false);
    expect(fs.existsSync(path.join(home, "running.json"))).toBe(false);
  });
});
