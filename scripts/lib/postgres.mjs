import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import fs from "node:fs";
import path from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import { freePort, Halt, installDebian, isCommand, isRoot, ROOT, run, say } from "./shell.mjs";

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
  const wished = path.resolve(ROOT, folder, "postgres");
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

const userId = (name) => Number(spawnSync("id", ["-u", name], { encoding: "utf8" }).stdout);

/** A folder that belongs to somebody else can't be used, and says so before PostgreSQL does it in its own words. */
function checkOwner(data) {
  const owner = isRoot ? userId("postgres") : process.getuid();
  const has = fs.statSync(data).uid;
  if (has === owner) return;
  throw new Halt(
    `The data folder ${data} belongs to user ${has}, not to ${owner}, who would have to read it. Start as that user, or give it away: chown -R ${owner} ${data}`,
  );
}

/**
 * The server that runs in a data folder, told by its own pid file: nothing else knows it for sure. Null when none does; a pid that lives
 * without being PostgreSQL belongs to somebody else.
 */
function postmaster(data) {
  const file = path.join(data, "postmaster.pid");
  if (!fs.existsSync(file)) return null;
  const lines = fs.readFileSync(file, "utf8").split("\n");
  const [pid, port] = [Number(lines[0]), Number(lines[3])];
  return isCommand(pid, "postgres") ? { pid, port } : null;
}

const ready = (bin, port) => spawnSync(`${bin}/pg_isready`, ["-q", "-h", "127.0.0.1", "-p", String(port)]).status === 0;

/** Long recordings are written in one go: room for their log, whose files are used again rather than made anew with zeros. */
const WRITES = "-c max_wal_size=4GB -c min_wal_size=1GB -c wal_init_zero=off -c wal_buffers=64MB -c shared_buffers=256MB";

/** How long the children of a server that was killed may hold its port. */
const PORT_MS = 10_000;

/** The port where the database was, as soon as what is left of a killed one lets go of it; another where somebody else holds it. */
async function portAgain(wish) {
  for (const until = Date.now() + PORT_MS; wish && Date.now() < until; await wait(100)) if ((await freePort(wish)) === wish) return wish;
  return freePort(wish);
}

/** Whether there is a cluster in a data folder. */
export const hasCluster = (folder) => fs.existsSync(path.join(clusterFolder(folder), "PG_VERSION"));

/** How long a database that recovers is waited for in silence. */
const QUIET_MS = 4000;
/** How often it is looked at whether it is still there. */
const WATCH_MS = 1000;

/**
 * A private cluster on loopback, made if there is none. One that runs already, be it still recovering, is found by its own pid file and
 * adopted. `begun` is told how to end it as soon as there is something to end. Returns its address and how to stop, kill and watch it.
 */
export async function startPostgres(folder, begun = () => {}) {
  const bin = ensurePrograms();
  const data = clusterFolder(folder);
  const portFile = path.join(path.dirname(data), "postgres.port");
  const log = path.join(path.dirname(data), "postgres.log");
  const pg = (command, args) => run(...asServer(`${bin}/${command}`, args), { cwd: "/" });
  if (!fs.existsSync(path.join(data, "PG_VERSION"))) makeCluster(pg, data);
  checkOwner(data);
  const wished = () => Number(fs.existsSync(portFile) ? fs.readFileSync(portFile, "utf8") : 0) || 0;
  const stop = () => (postmaster(data) ? pg("pg_ctl", ["-D", data, "-m", "fast", "-w", "stop"]) : undefined);

  /** Starts it without waiting: what waits can then be called off. */
  const launch = async (wish) => {
    const port = await portAgain(wish);
    fs.writeFileSync(portFile, String(port));
    if (isRoot) {
      fs.closeSync(fs.openSync(log, "a"));
      run("chown", ["postgres:postgres", log]);
    }
    const options = `-p ${port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' ${WRITES}`;
    // After a crash the old server's children may hold its memory for a moment longer.
    for (let tries = 0; ; tries++) {
      try {
        pg("pg_ctl", ["-D", data, "-l", log, "-o", options, "-W", "start"]);
      } catch (error) {
        if (tries === 10) throw error;
      }
      for (let i = 0; i < 20 && !postmaster(data); i++) await wait(50);
      if (postmaster(data)) return;
      if (tries === 20) throw new Halt(`PostgreSQL did not start. Its last words: ${lastWords(log)}`);
      await wait(300);
    }
  };

  /** Waits until it answers; what it does meanwhile is said. Returns its port. */
  const answering = async () => {
    const since = Date.now();
    let told = false;
    for (;;) {
      const now = postmaster(data);
      if (now && ready(bin, now.port)) return now.port;
      if (!now && Date.now() - since > QUIET_MS) throw new Halt(`PostgreSQL ended while it started. Its last words: ${lastWords(log)}`);
      if (!told && Date.now() - since > QUIET_MS) {
        told = true;
        say("the database is putting itself in order after it was cut off; nothing is lost. This may take a minute …");
      }
      await wait(100);
    }
  };

  const adopted = postmaster(data) !== null;
  begun(stop);
  if (!adopted) await launch(wished());
  const port = await answering().catch(async (error) => {
    // One that was found just as it ended is started anew.
    if (!adopted || postmaster(data)) throw error;
    await launch(wished());
    return answering();
  });
  if (wished() !== port) fs.writeFileSync(portFile, String(port));
  const sql = (database, text) => run(`${bin}/psql`, ["-h", "127.0.0.1", "-p", String(port), "-U", "wet_thread", "-d", database, "-Atqc", text]);
  if (sql("postgres", "select 1 from pg_database where datname = 'wet_thread'").trim() !== "1") sql("postgres", "create database wet_thread");

  return {
    /** Whether it ran before this start. */
    adopted,
    programs: bin,
    url: `postgres://wet_thread@127.0.0.1:${port}/wet_thread`,
    port,
    data,
    sql: (text) => sql("wet_thread", text).trim(),
    stop,
    /** Killed as if the machine had lost it: no clean-up at all. Or stopped, and it lets nobody new in, until it is told to go on. */
    signal: (name) => process.kill(Number(fs.readFileSync(path.join(data, "postmaster.pid"), "utf8").split("\n")[0]), name),
    /** Starts it again, at the same port, whenever it is gone. Returns how to end that. */
    watch: () => {
      let over = false;
      let busy = false;
      const timer = setInterval(async () => {
        if (busy || over || postmaster(data)) return;
        busy = true;
        say("the database ended by itself and is started again; what was saved is safe");
        try {
          // Whoever knows it knows it by its port: it comes back there or not yet.
          if ((await portAgain(port)) !== port) throw new Error(`Port ${port}, where the database was, is held by somebody else. It is tried again.`);
          await launch(port);
          await answering();
        } catch (error) {
          console.error(`wet thread: ${error.message}`);
        }
        busy = false;
      }, WATCH_MS);
      return () => {
        over = true;
        clearInterval(timer);
      };
    },
  };
}

/** Makes a cluster beside its place and puts it there when it is whole: one that was cut off in the midst is made anew. */
function makeCluster(pg, data) {
  say("making a private PostgreSQL cluster");
  const fresh = `${data}.new`;
  for (const one of [data, fresh]) fs.rmSync(one, { recursive: true, force: true });
  fs.mkdirSync(fresh, { recursive: true, mode: 0o700 });
  if (isRoot) run("chown", ["postgres:postgres", fresh]);
  pg("initdb", ["-D", fresh, "-U", "wet_thread", "--auth=trust", "--encoding=UTF8", "--locale=C.UTF-8", "--no-instructions"]);
  fs.renameSync(fresh, data);
}

const lastWords = (log) => (fs.existsSync(log) ? fs.readFileSync(log, "utf8").trim().split("\n").slice(-3).join(" / ") : "none");
