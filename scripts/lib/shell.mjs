import { spawn, spawnSync } from "node:child_process";
import fs from "node:fs";
import net from "node:net";
import path from "node:path";

export const ROOT = path.resolve(import.meta.dirname, "..", "..");
export const isRoot = process.getuid?.() === 0;

export const say = (text) => console.log(`wet thread: ${text}`);

/** An end that a person can read, without a stack. */
export class Halt extends Error {}

/** Runs a command to its end; throws Halt with its last lines when it fails. */
export function run(command, args, options = {}) {
  const done = spawnSync(command, args, { cwd: ROOT, encoding: "utf8", maxBuffer: 1 << 28, ...options });
  if (done.status !== 0) {
    const told = `${done.stdout ?? ""}${done.stderr ?? ""}`.trim().split("\n").slice(-15).join("\n");
    throw new Halt(`${command} ${args.join(" ")} failed${done.error ? ` (${done.error.message})` : ""}.\n${told}`);
  }
  return done.stdout ?? "";
}

/** Whether a process lives and its command holds some words. What a process of somebody else's runs can be read as well. */
export function isCommand(pid, words) {
  if (!(pid > 0)) return false;
  try {
    // A dead one may linger until its parent has taken note: it has no command any more.
    return fs.readFileSync(`/proc/${pid}/cmdline`, "utf8").includes(words);
  } catch {
    return false;
  }
}

export const has = (command) => spawnSync("which", [command]).status === 0;

/** Debian's packages, as root or by sudo; a clear word when neither is possible. */
export function installDebian(packages) {
  say(`installing ${packages.join(", ")} from Debian's packages`);
  const sudo = isRoot ? [] : ["sudo", "-n"];
  if (!isRoot && spawnSync("sudo", ["-n", "true"]).status !== 0)
    throw new Halt(
      `These Debian packages are needed: ${packages.join(", ")}. Run this as root, allow sudo, or install them by hand: apt-get install ${packages.join(" ")}`,
    );
  const apt = (args) => {
    const [command, ...rest] = [
      ...sudo,
      "env",
      "DEBIAN_FRONTEND=noninteractive",
      "apt-get",
      "-o",
      "DPkg::Lock::Timeout=300",
      "-o",
      "Acquire::Retries=3",
      ...args,
    ];
    run(command, rest);
  };
  apt(["update"]);
  apt(["install", "-y", "--no-install-recommends", ...packages]);
}

/** Whether a port can be listened on. */
const isFree = (port, host) =>
  new Promise((resolve) => {
    const server = net.createServer();
    server.once("error", () => resolve(false));
    server.listen(port, host, () => server.close(() => resolve(true)));
  });

const LOWEST = 12_000;
const ownPorts = Number(fs.readFileSync("/proc/sys/net/ipv4/ip_local_port_range", "utf8").split(/\s+/)[0]);
/** Below the ports that connections get by themselves: one of those could hold the port of a server that is being started again, even one that looks for that server. */
const PORTS = { from: LOWEST, to: ownPorts > LOWEST + 1000 ? ownPorts : 32_768 };
const MOST_LOOKS = 200;

/** A free port: the one that is wished for, else another. */
export async function freePort(wish = 0, host = "127.0.0.1") {
  if (wish && (await isFree(wish, host))) return wish;
  const { from, to } = PORTS;
  for (let i = 0; i < MOST_LOOKS; i++) {
    const port = from + Math.floor(Math.random() * (to - from));
    if (await isFree(port, host)) return port;
  }
  throw new Halt("No free port was found.");
}

/** Starts a process that is ended, by its own id, with the returned function. */
export function start(command, args, options = {}) {
  const child = spawn(command, args, { cwd: ROOT, stdio: "inherit", ...options });
  let ended = false;
  const exit = new Promise((resolve) =>
    child.once("exit", (code) => {
      ended = true;
      resolve(code);
    }),
  );
  const stop = async () => {
    if (ended) return;
    child.kill("SIGTERM");
    const late = setTimeout(() => child.kill("SIGKILL"), 8000);
    await exit;
    clearTimeout(late);
  };
  return { child, exit, stop };
}
