import { create } from "zustand";

/** A clip on one side of a comparison. */
export interface ComparedClip {
  readonly id: string;
  readonly name: string;
  /** The name of its track. */
  readonly track: string;
  readonly trackId: string;
  readonly start: number;
  readonly length: number;
}
export type Difference = "only-a" | "only-b" | "moved" | "trimmed" | "changed";
/** A clip that is different: here (`a`) and in the other version (`b`). */
export interface Compared {
  readonly kinds: readonly Difference[];
  readonly a: ComparedClip | null;
  readonly b: ComparedClip | null;
}

/** The version that this one is compared with while the panel is open, and what is different; null while that is worked out. */
export const useComparing = create<{ readonly other: string | null; readonly rows: readonly Compared[] | null }>(() => ({ other: null, rows: null }));
