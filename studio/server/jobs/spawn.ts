import { fork } from "node:child_process";
import { processScript } from "../processes";

/** What is new lives in so much room, in megabytes: work on long recordings makes much that is soon gone, and more room would only be filled with it. */
const NEW_SPACE = 4;

/** Starts the worker process of this web process, and starts it again if it dies. Returns nothing: it lives as long as the server. */
export function spawnWorker(): void {
  const start = (): void => {
    const execArgv = [`--max-semi-space-size=${NEW_SPACE}`];
    const child = fork(/* turbopackIgnore: true */ processScript("worker"), { execArgv, stdio: ["ignore", "inherit", "inherit", "ipc"] });
    const end = (): void => void child.kill("SIGTERM");
    process.once("exit", end);
    child.once("exit", () => {
      process.removeListener("exit", end);
      setTimeout(start, 1000).unref();
    });
  };
  start();
}
