import { fork } from "node:child_process";
import path from "node:path";

/** Starts the worker process of this web process, and starts it again if it dies. Returns nothing: it lives as long as the server. */
export function spawnWorker(): void {
  const script = path.join(process.env.WET_THREAD_STUDIO ?? process.cwd(), "server", "jobs", "worker.ts");
  const start = (): void => {
    const child = fork(/* turbopackIgnore: true */ script, { execArgv: ["--import", "tsx"], stdio: ["ignore", "inherit", "inherit", "ipc"] });
    const end = (): void => void child.kill("SIGTERM");
    process.once("exit", end);
    child.once("exit", () => {
      process.removeListener("exit", end);
      setTimeout(start, 1000).unref();
    });
  };
  start();
}
