import type { KeptPart } from "@wet-thread/core/model/clip/kept-part";
import type { Change } from "@wet-thread/core/model/document";
import type { SourceInfo, VersionData } from "@wet-thread/core/model/schema";
import type { Slice } from "@wet-thread/core/model/slices";
import type { StandInKind } from "@wet-thread/core/render/stand-in";
import type { CountIn } from "@wet-thread/core/time/count-in";

type Span = { readonly start: number; readonly end: number } | null;

/** From the page to the engine worker. */
export type ToEngine =
  | { readonly type: "open"; readonly data: VersionData; readonly sources: readonly SourceInfo[]; readonly memory: SharedArrayBuffer }
  | { readonly type: "document"; readonly data: VersionData; readonly sources: readonly SourceInfo[] }
  | { readonly type: "changes"; readonly changes: readonly Change[] }
  | {
      readonly type: "play";
      readonly position: number;
      readonly loop: Span;
      readonly stopAt: number | null;
      /** Gain of the metronome as a factor, 0 for none. */
      readonly metronome: number;
      /** What is counted before, and at which gain. */
      readonly countIn: { readonly count: CountIn; readonly gain: number } | null;
    }
  /** What the stand-in for a sound device plays along with the piece; null for none. */
  | { readonly type: "stand-in"; readonly kind: StandInKind | null }
  | { readonly type: "metronome"; readonly gain: number }
  /** Slices that lie on keys from now on. */
  | { readonly type: "kit"; readonly slices: readonly Slice[] }
  /** A key of the kit is struck, at a gain as a factor. */
  | { readonly type: "strike"; readonly pad: number; readonly gain: number }
  /** Sound follows this position until "stop". */
  | { readonly type: "scrub"; readonly position: number }
  | { readonly type: "loop"; readonly loop: Span }
  /** One recording by itself, or a part of it, from a sample of it on, in place of the piece. */
  | { readonly type: "source"; readonly source: SourceInfo; readonly part: KeptPart | null; readonly from: number; readonly sampleRate: number }
  | { readonly type: "stop" };

/** From the engine worker to the page. Frames count what the ring has ever held. */
export type FromEngine =
  | { readonly type: "playing" }
  | { readonly type: "anchor"; readonly frame: number; readonly position: number }
  | { readonly type: "reached"; readonly frame: number }
  | { readonly type: "swapped"; readonly frame: number }
  /** The keys that were struck have died away, and nothing else plays. */
  | { readonly type: "quiet" }
  /** So many slices of the kit can be struck. */
  | { readonly type: "kit"; readonly ready: number }
  /** Playing stands still until sound has come from the server. */
  | { readonly type: "waiting"; readonly on: boolean }
  | {
      readonly type: "meters";
      readonly tracks: Readonly<Record<string, number>>;
      readonly left: number;
      readonly right: number;
      /** How often the ring ran dry, and whether sound that should be heard had not come from the server. */
      readonly starved: number;
      readonly missing: boolean;
    };
