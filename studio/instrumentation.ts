export async function register(): Promise<void> {
  if (process.env.NEXT_RUNTIME !== "nodejs" || process.env.WET_THREAD_NO_WORKER) return;
  const { spawnWorker } = await import("./server/jobs/spawn");
  spawnWorker();
}
