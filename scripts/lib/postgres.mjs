import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import fs from "node:fs";
import path from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import { freePort, Halt, installDebian, isRoot, ROOT, run, say } from "./shell.mjs";

const BASE = "/usr/lib/postgresql";

function binaries() {
  const found = fs.existsSync(BASE) ? fs.readdirSync(BASE).filter((v) => fs.existsSync(`${BASE}/${v}/bin/initdb`)) : [];
  const newest = found.sort((a, b) => Number(b) - Number(a))[0];
  return newest && `${BASE}/${newest}/bin`;
}

/** PostgreSQL's programs, installed from Debian's packages if missing, without the cluster that the package would make. */
function ensurePrograms() {
  let bin = binaries();
  if (!bin) {
    if (isRoot) {
      fs.mkdirSync("/etc/postgresql-common", { recursive: true });
      const conf = "/etc/postgresql-common/createcluster.conf";
      if (!fs.existsSync(conf)) fs.writeFileSync(conf, "create_main_cluster = false\n");
    }
    installDebian(["postgresql"]);
    bin = binaries();
  }
  if (!bin) throw new Halt("PostgreSQL's programs were not found even after installing the package postgresql.");
  return bin;
}

/** PostgreSQL refuses to run as root: there it runs as the user postgres. */
const asServer = (command, args) =>
  isRoot ? ["setpriv", ["--reuid=postgres", "--regid=postgres", "--clear-groups", command, ...args]] : [command, args];

/** The project's own data folder, or, where the user postgres could not walk to it, one like it in the folder for temporary files that survive. */
function clusterFolder(folder) {
  const wished = path.join(ROOT, folder, "postgres");
  fs.mkdirSync(path.dirname(wished), { recursive: true });
  if (!isRoot) return wished;
  for (let at = path.dirname(wished); ; at = path.dirname(at)) {
    if ((fs.statSync(at).mode & 0o001) === 0) {
      const elsewhere = path.join("/var/tmp", `wet-thread-${createHash("sha256").update(wished).digest("hex").slice(0, 12)}`);
      fs.mkdirSync(elsewhere, { recursive: true });
      return path.join(elsewhere, "postgres");
    }
    if (at === path.dirname(at)) return wished;
  }
}

const ready = (bin, port) => spawnSync(`${bin}/pg_isready`, ["-q", "-h", "127.0.0.1", "-p", String(port)]).status === 0;

/** Long recordings are written in one go: room for their log, whose files are used again rather than made anew with zeros. */
const WRITES = "-c max_wal_size=4GB -c min_wal_size=1GB -c wal_init_zero=off -c wal_buffers=64MB -c shared_buffers=256MB";

/**
 * A private cluster on loopback, made if there is none. Returns its address and how to stop it; one that was running already is left
 * running.
 */
export async function startPostgres(folder) {
  const bin = ensurePrograms();
  const data = clusterFolder(folder);
  const portFile = path.join(path.dirname(data), "postgres.port");
  const pg = (command, args) => run(...asServer(`${bin}/${command}`, args), { cwd: "/" });
  if (!fs.existsSync(path.join(data, "PG_VERSION"))) {
    say("making a private PostgreSQL cluster");
    fs.rmSync(data, { recursive: true, force: true });
    fs.mkdirSync(data, { recursive: true, mode: 0o700 });
    if (isRoot) run("chown", ["postgres:postgres", data]);
    pg("initdb", ["-D", data, "-U", "wet_thread", "--auth=trust", "--encoding=UTF8", "--locale=C.UTF-8", "--no-instructions"]);
  }
  let port = fs.existsSync(portFile) ? Number(fs.readFileSync(portFile, "utf8")) : 0;
  const mine = () => {
    // The port may have gone to someone else's server: only the one that our own data folder names counts.
    const pid = path.join(data, "postmaster.pid");
    return fs.existsSync(pid) && fs.readFileSync(pid, "utf8").split("\n")[3]?.trim() === String(port) && ready(bin, port);
  };
  const running = port > 0 && mine();
  if (!running) {
    port = await freePort(port);
    fs.writeFileSync(portFile, String(port));
    const options = `-p ${port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' ${WRITES}`;
    const log = path.join(path.dirname(data), "postgres.log");
    if (isRoot) {
      fs.closeSync(fs.openSync(log, "a"));
      run("chown", ["postgres:postgres", log]);
    }
    // After a crash the old server's children may hold its memory for a moment longer.
    for (let tries = 0; ; tries++) {
      try {
        pg("pg_ctl", ["-D", data, "-l", log, "-o", options, "-w", "-t", "60", "start"]);
        break;
      } catch (error) {
        if (tries === 10) throw error;
        await wait(500);
      }
    }
  }
  const sql = (database, text) => run(`${bin}/psql`, ["-h", "127.0.0.1", "-p", String(port), "-U", "wet_thread", "-d", database, "-Atqc", text]);
  if (sql("postgres", "select 1 from pg_database where datname = 'wet_thread'").trim() !== "1") sql("postgres", "create database wet_thread");
  return {
    url: `postgres://wet_thread@127.0.0.1:${port}/wet_thread`,
    port,
    data,
    stop: () => (running ? undefined : pg("pg_ctl", ["-D", data, "-m", "fast", "-w", "stop"])),
    /** As if the machine had lost it: no clean-up at all. */
    kill: () => process.kill(Number(fs.readFileSync(path.join(data, "postmaster.pid"), "utf8").split("\n")[0]), "SIGKILL"),
  };
}
