/** Days for which what was removed can be put back, and for which what is made by itself, or written to be fetched, is kept after it was last asked for. */
export const KEPT_DAYS = 30;
