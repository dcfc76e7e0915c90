import type { ClipField } from "../model/clip/fields";

/*
 * The law of an edit: what it may do to the sound and to the clips, told beside it. Random edits of every kind hold it (`law.test.ts`); the docs say
 * it in words. Whatever neighbours do (ripple, reorder) comes on top: what is later is then the same, later or earlier.
 */

/** Where an edit may change what is heard. */
export type SoundLaw =
  /** Nowhere. */
  | "nowhere"
  /** Where the named clips lay and lie, with those that come to be and those on linked tracks; and at the edges that this lays bare. */
  | "clips"
  /** Within the named span, on the named tracks and those linked to them, and at its edges. */
  | "span"
  /** Around the named seams, as far as the blends and fades there reach. */
  | "seams"
  /** Within the take stack, and those that are picked from alike. */
  | "stack"
  /** What was before a place stays, what was after it is the same, all of it later or earlier by as much; but for what comes in or goes there. */
  | "time"
  /** On the named tracks alone. */
  | "tracks"
  /** Everything may come to lie elsewhere. */
  | "everywhere";

export interface Law {
  readonly sound: SoundLaw;
  /** What of clips that were there and stay it may change; edges, layers, blends and places follow where others come to lie. */
  readonly fields: readonly ClipField[];
  /** How many clips it lays where nothing makes room or is covered: as many as are named, one, or none; left out, that hangs on what is there. */
  readonly lays?: "named" | "one" | "none";
}

/** What goes along with a clip's edges and place. */
export const WINDOW: readonly ClipField[] = ["start", "length", "offset", "fadeIn", "fadeOut", "blend", "sync", "bars", "layer", "take", "bundle"];
export const NOTHING: readonly ClipField[] = [];

const SOUND_WORDS: Readonly<Record<SoundLaw, string>> = {
  nowhere: "What is heard stays the same, to the bit.",
  clips: "Only what the named clips play changes, where they were and where they come to be, and the edges that this lays bare.",
  span: "Only what lies in the span changes, on the named tracks and those linked to them, and its new edges.",
  seams: "Only the seams that are named change, as far as their blends and fades reach.",
  stack: "Only what is heard of the take stack changes, and of those that are picked from alike.",
  time: "What was before the place stays; all that was after it is the same, later or earlier by as much; the edges that are cut are new.",
  tracks: "Only the named tracks change.",
  everywhere: "Clips may come to lie elsewhere; what each plays stays, but for those that follow the tempo.",
};

const LAYS_WORDS = { named: " It lays as many clips as are named.", one: " It lays one clip.", none: "" };

/** A law in words, for the docs. */
export const lawWords = ({ sound, lays = "none" }: Law): string => SOUND_WORDS[sound] + LAYS_WORDS[lays];
