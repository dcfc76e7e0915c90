/** A file that can't be read, in words. */
export class InterchangeError extends Error {}
