/*
 * What a clip carries, told once: for each of its fields what becomes of it. A field that is not here does not compile (`schema.ts` holds both
 * against each other), and whoever cuts, joins, prints, keeps, picks or copies clips asks here.
 */

/** What becomes of one field of a clip. */
interface FieldRules {
  /** A clip may be without it. */
  readonly optional?: true;
  /**
   * At a cut: both pieces have it (`both`), the earlier one alone (`first`), or it is worked out for each (`worked`: where each lies, what is left of
   * fades, where the sync point falls).
   */
  readonly cut: "both" | "first" | "worked";
  /**
   * At a joint through which the sound runs on: it is the same on both sides (`same`), told by where both lie and how they fade (`worked`), or nothing
   * that is heard hangs on it (`free`).
   */
  readonly joint: "same" | "worked" | "free";
  /**
   * Joined into one clip again by hand: the first one's counts (`first`), it is put together (`worked`), or the two are one only where it is the same
   * (`same`).
   */
  readonly join: "first" | "worked" | "same";
  /** What takes the place of clips that were printed has it too, or begins anew: whatever is in the recording is not laid again. */
  readonly print: "kept" | "anew";
  /** A lane of a take stack, and a part kept under a name, have it, or leave it behind with the place. */
  readonly lane: "kept" | "left";
  readonly part: "kept" | "left";
  /** A copy has it, has one of its own, or none. */
  readonly copy: "kept" | "own" | "none";
}

const rules = <const R extends FieldRules>(r: R): R => r;

const SOUND = { cut: "both", joint: "same", join: "same", print: "anew", lane: "kept", part: "kept", copy: "kept" } as const;
const WINDOW = { cut: "worked", joint: "worked", join: "worked", print: "anew", lane: "kept", part: "kept", copy: "kept" } as const;
const WORDS = { cut: "both", joint: "free", join: "first", print: "kept", lane: "kept", part: "kept", copy: "kept" } as const;
const PLACE = { cut: "both", joint: "same", join: "same", print: "kept", lane: "left", part: "left", copy: "kept" } as const;

export const CLIP_FIELDS = {
  id: rules({ ...PLACE, cut: "worked", joint: "free", join: "first", print: "anew", copy: "own" }),
  trackId: rules(PLACE),
  sourceId: rules({ ...SOUND, part: "left" }),
  start: rules({ ...WINDOW, lane: "left", part: "left" }),
  length: rules(WINDOW),
  offset: rules(WINDOW),
  name: rules(WORDS),
  color: rules(WORDS),
  gain: rules(SOUND),
  pan: rules(SOUND),
  mute: rules({ ...SOUND, part: "kept" }),
  layer: rules({ ...PLACE, joint: "free" }),
  fadeIn: rules({ ...WINDOW, copy: "own" }),
  fadeOut: rules({ ...WINDOW, copy: "own" }),
  blend: rules({ cut: "first", joint: "worked", join: "first", print: "anew", lane: "left", part: "left", copy: "own" }),
  sync: rules({ ...WINDOW, joint: "free" }),
  bundle: rules({ ...PLACE, joint: "free", copy: "own" }),
  channels: rules({ ...SOUND, optional: true }),
  bars: rules({ cut: "first", joint: "free", join: "first", print: "anew", lane: "left", part: "left", copy: "none", optional: true }),
  envelopes: rules({ ...SOUND, optional: true }),
  recipe: rules({ ...SOUND, optional: true }),
  conform: rules({ ...WORDS, print: "anew", part: "left", optional: true }),
  hits: rules({ ...WORDS, join: "worked", print: "anew", optional: true }),
  take: rules({ ...PLACE, joint: "free", print: "anew", optional: true }),
} as const;

type Fields = typeof CLIP_FIELDS;
export type ClipField = keyof Fields;
/** The fields for which some thing that is done with clips says something. */
export type FieldsWhere<T extends keyof FieldRules, V> = {
  [K in ClipField]: Fields[K] extends Record<T, V> ? K : never;
}[ClipField];

/** The names of those fields. */
export const fieldsWhere = <T extends Exclude<keyof FieldRules, "optional">, const V extends FieldRules[T]>(what: T, is: V): FieldsWhere<T, V>[] =>
  (Object.keys(CLIP_FIELDS) as ClipField[]).filter((k) => CLIP_FIELDS[k][what] === is) as FieldsWhere<T, V>[];

/** Fields that a clip may be without. */
export const OPTIONAL_CLIP_FIELDS = (Object.keys(CLIP_FIELDS) as ClipField[]).filter((k) => "optional" in CLIP_FIELDS[k]);

/** Those fields as a mask, for schemas that leave them out. */
export const maskOf = <K extends string>(fields: readonly K[]): { [P in K]: true } =>
  Object.fromEntries(fields.map((f) => [f, true])) as { [P in K]: true };
