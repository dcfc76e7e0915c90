import { fork } from "node:child_process";
import { processScript } from "../process/processes";
import { Rests } from "../process/rests";
import { countDeath, type FromWorker, LOST_DATABASE, takeUpAgain } from "./tries";

/** What is new lives in so much room, in megabytes: work on long recordings makes much that is soon gone, and more room would only be filled with it. */
const NEW_SPACE = 4;

/** Starts the worker process of this web process, and starts it again, after a rest, if it dies. Returns nothing: it lives as long as the server. */
export function spawnWorker(): void {
  const rests = new Rests("The process that does the server's work");
  const start = (): void => {
    const execArgv = [`--max-semi-space-size=${NEW_SPACE}`];
    const child = fork(/* turbopackIgnore: true */ processScript("worker"), { execArgv, stdio: ["ignore", "inherit", "inherit", "ipc"] });
    const begun = Date.now();
    /** Jobs that it is at work on. */
    const at = new Set<string>();
    const end = (): void => void child.kill("SIGTERM");
    process.once("exit", end);
    child.on("message", ({ job, on }: FromWorker) => void (on ? at.add(job) : at.delete(job)));
    child.once("exit", (code, signal) => {
      process.removeListener("exit", end);
      if (signal || (code !== 0 && code !== LOST_DATABASE)) for (const job of at) void countDeath(job);
      setTimeout(start, rests.after(Date.now() - begun, signal ?? `code ${code}`)).unref();
    });
  };
  void takeUpAgain().catch((error) => console.error("what was put aside waits for its time:", error.message));
  start();
}
