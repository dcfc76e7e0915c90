import type { direct } from "./direct";

export async function register(): Promise<void> {
  if (process.env.NEXT_RUNTIME !== "nodejs") return;
  // The server that stands before the framework finds it here (scripts/lib/web.mjs).
  (globalThis as typeof globalThis & { wetThreadDirect?: typeof direct }).wetThreadDirect = (await import("./direct")).direct;
  if (process.env.WET_THREAD_NO_WORKER) return;
  const { spawnWorker } = await import("./server/jobs/spawn");
  spawnWorker();
}
