import { spawn } from "node:child_process";
import type { Readable, Writable } from "node:stream";
import { MediaError } from "@wet-thread/core/media/source";

/** How many of its last words are kept. */
const WORDS = 4000;

/** A run of Debian's ffmpeg, which decodes and encodes what is not plain samples. */
export interface Run {
  readonly into: Writable;
  readonly out: Readable;
  /** Resolves when it has ended well; rejects with MediaError, in words. */
  readonly ended: Promise<void>;
  /** What it has complained of. */
  complaints(): string;
  kill(): void;
}

/** Says what is missing where ffmpeg is not on this machine. */
const MISSING = "This kind of file needs ffmpeg, which is not on this machine: install Debian's package ffmpeg, and try it again.";

/** Starts ffmpeg. It reads only what it is given, and opens no network. */
export function ffmpeg(args: readonly string[], program = process.env.WET_THREAD_FFMPEG || "ffmpeg"): Run {
  const child = spawn(program, ["-hide_banner", "-v", "error", "-protocol_whitelist", "pipe,file", ...args], { stdio: ["pipe", "pipe", "pipe"] });
  let words = "";
  child.stderr.on("data", (piece: Buffer) => {
    words = (words + piece.toString("utf8")).slice(-WORDS);
  });
  // What it does not read any more is nobody's fault but its end's, which is told below.
  child.stdin.on("error", () => {});
  const ended = new Promise<void>((resolve, reject) => {
    child.once("error", (error: NodeJS.ErrnoException) => reject(error.code === "ENOENT" ? new MediaError(MISSING, "broken") : error));
    child.once("close", (code) => {
      if (code === 0) resolve();
      else reject(new MediaError(`It can't be read or written: ${words.trim().split("\n").at(-1) || `ffmpeg ended with ${code}`}.`, "broken"));
    });
  });
  ended.catch(() => {});
  return { into: child.stdin, out: child.stdout, ended, complaints: () => words.trim(), kill: () => child.kill("SIGKILL") };
}

/** Writes to a process as fast as it takes it. Returns whether it still takes anything. */
export async function feed(into: Writable, bytes: Uint8Array): Promise<boolean> {
  if (into.destroyed || into.writableEnded) return false;
  if (into.write(bytes)) return true;
  return new Promise((resolve) => {
    const done = (): void => {
      for (const event of ["drain", "close", "error"]) into.off(event, done);
      resolve(!into.destroyed);
    };
    for (const event of ["drain", "close", "error"]) into.on(event, done);
  });
}
