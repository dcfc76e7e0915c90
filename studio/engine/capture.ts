/** A channel of one of the inputs of the capturing worklet. */
export interface Place {
  readonly input: number;
  readonly channel: number;
}

/** To the capturing worklet: from now on these channels are captured; null for none. */
export interface ToCapture {
  readonly places: readonly Place[] | null;
}

/** From it: interleaved samples from a frame of the sound device on, or the greatest levels of a moment, for each channel of each input. */
export type FromCapture =
  | { readonly type: "sound"; readonly frame: number; readonly samples: Float32Array<ArrayBuffer> }
  /** All that was captured has been handed over. */
  | { readonly type: "ended" }
  | { readonly type: "levels"; readonly levels: readonly (readonly number[])[] };

/** Frames that are handed over at a time. */
export const HANDED = 4096;
