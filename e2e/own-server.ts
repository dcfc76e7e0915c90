import fs from "node:fs";
import path from "node:path";
import { startPostgres } from "../scripts/lib/postgres.mjs";
import { startServer } from "../scripts/lib/server.mjs";
import { migrate } from "../scripts/lib/setup.mjs";
import { freePort, ROOT } from "../scripts/lib/shell.mjs";
import { talkTo } from "./client";

type Database = Awaited<ReturnType<typeof startPostgres>>;
type Web = Awaited<ReturnType<typeof startServer>>;

/** A database and a server of a test's own, to be killed at will. The address stays the same: what a tab could not send is kept by it. */
export class OwnServer {
  private constructor(
    private readonly folder: string,
    private readonly port: number,
    private database: Database,
    private web: Web,
  ) {}

  static async start(folder: string): Promise<OwnServer> {
    fs.rmSync(path.resolve(ROOT, folder), { recursive: true, force: true });
    const database = await startPostgres(folder);
    migrate(database.url);
    const port = await freePort();
    return new OwnServer(folder, port, database, await startServer({ databaseUrl: database.url, port, quiet: true }));
  }

  get url(): string {
    return this.web.url;
  }
  get databaseUrl(): string {
    return this.database.url;
  }

  private readonly talk = talkTo(() => this.url);
  readonly call = this.talk.call;
  readonly must = this.talk.must;

  async killWeb(): Promise<void> {
    this.web.child.kill("SIGKILL");
    await this.web.exit;
  }
  async startWeb(): Promise<void> {
    this.web = await startServer({ databaseUrl: this.database.url, port: this.port, quiet: true });
  }

  killDatabase(): void {
    this.database.signal("SIGKILL");
  }
  /** Whoever is connected goes on; nobody new gets in until the door is open again. */
  databaseDoor(open: boolean): void {
    this.database.signal(open ? "SIGCONT" : "SIGSTOP");
  }
  /** Starts it again, and waits until the server has found it. */
  async startDatabase(): Promise<void> {
    this.database = await startPostgres(this.folder);
    for (let i = 0; i < 300 && (await this.call("GET", "/api/health")).status !== 200; i++) await new Promise((wake) => setTimeout(wake, 100));
  }

  /** Kills the worker process; the web server starts another. Returns how many there were. */
  killWorker(): number {
    let killed = 0;
    for (const pid of fs.readdirSync("/proc").filter((p) => /^\d+$/.test(p))) {
      // Only the worker whose parent is this server.
      const status = fs.existsSync(`/proc/${pid}/status`) ? fs.readFileSync(`/proc/${pid}/status`, "utf8") : "";
      if (!new RegExp(`^PPid:\\s+${this.web.child.pid}$`, "m").test(status)) continue;
      if (!fs.readFileSync(`/proc/${pid}/cmdline`, "utf8").includes("worker.mjs")) continue;
      process.kill(Number(pid), "SIGKILL");
      killed++;
    }
    return killed;
  }

  async stop(): Promise<void> {
    await this.web.stop();
    await this.database.stop();
    fs.rmSync(path.join(ROOT, this.folder), { recursive: true, force: true });
  }
}
