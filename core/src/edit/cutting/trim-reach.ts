import type { Clip } from "../../model/schema";

/**
 * How far a rippling edge can go: its start stays where it is, so that only the recording and the last sample hold it.
 */
export function rippleRoom(clip: Clip, edge: "start" | "end", sourceLength: number): { least: number; most: number } {
  return edge === "start" ? { least: -clip.offset, most: clip.length - 1 } : trimRoom(clip, edge, sourceLength);
}

/** How far an edge can go, in samples by which it may move: negative is earlier. A clip keeps one sample; its recording's ends hold it. */
export function trimRoom(clip: Clip, edge: "start" | "end", sourceLength: number): { least: number; most: number } {
  return edge === "start"
    ? { least: -Math.min(clip.offset, clip.start), most: clip.length - 1 }
    : { least: 1 - clip.length, most: sourceLength - clip.offset - clip.length };
}
