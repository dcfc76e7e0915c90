import { mkdtemp, readdir, rm, stat } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";

const NAME = "wet-thread-";
/** One that is so old was left behind by a process that was killed. */
const OLD_MS = 86_400_000;

/** Does something with a folder for what lies on the disk only for a while; it is gone afterwards, whatever became of it. */
export async function withFolder<T>(work: (folder: string) => Promise<T>): Promise<T> {
  const folder = await newFolder();
  try {
    return await work(folder);
  } finally {
    await dropFolder(folder);
  }
}

export const newFolder = (): Promise<string> => mkdtemp(path.join(tmpdir(), NAME));
export const dropFolder = (folder: string): Promise<void> => rm(folder, { recursive: true, force: true });

/** Takes away what processes that were killed have left. Returns how many folders. */
export async function purgeFolders(before = Date.now() - OLD_MS): Promise<number> {
  let gone = 0;
  for (const name of await readdir(tmpdir())) {
    if (!/^wet-thread-[A-Za-z0-9]{6}$/.test(name)) continue;
    const folder = path.join(tmpdir(), name);
    const { mtimeMs } = await stat(folder).catch(() => ({ mtimeMs: Number.POSITIVE_INFINITY }));
    if (mtimeMs >= before) continue;
    await dropFolder(folder);
    gone++;
  }
  return gone;
}
