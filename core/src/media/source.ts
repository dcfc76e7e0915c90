/** Bytes that can be read anywhere: a file, rows of a database, memory. */
export interface ByteSource {
  readonly size: number;
  /** Exactly the bytes [offset, offset + length), or fewer at the end. */
  read(offset: number, length: number): Promise<Uint8Array>;
}

export const memorySource = (bytes: Uint8Array): ByteSource => ({
  size: bytes.length,
  read: async (offset, length) => bytes.subarray(offset, offset + length),
});

/** A file that can't be taken in, and why. `code` tells "unknown" (not audio that is known here) from "broken". */
export class MediaError extends Error {
  constructor(
    message: string,
    readonly code: "unknown" | "broken",
  ) {
    super(message);
    this.name = "MediaError";
  }
}
