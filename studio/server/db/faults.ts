interface Fault {
  readonly code?: string;
  readonly message?: string;
  readonly cause?: unknown;
  readonly errors?: readonly unknown[];
}

/** A fault, and what it came of, one after the other. */
function* causes(error: unknown): Generator<Fault> {
  for (let e = error as Fault | undefined; e; e = (e.cause ?? e.errors?.[0]) as Fault | undefined) yield e;
}
const hasCode = (error: unknown, codes: RegExp): boolean => [...causes(error)].some((e) => codes.test(e.code ?? ""));

/** Whether a database is away, starting or stopping. */
export const isAway = (error: unknown): boolean =>
  hasCode(error, /^(ECONNREFUSED|ECONNRESET|EPIPE|ENOENT|57P0\d|53300|08\d\d\d)$/) ||
  [...causes(error)].some((e) => /timeout exceeded when trying to connect|Connection terminated|the database system is/.test(e.message ?? ""));

/** Whether the disk is full. */
export const isFull = (error: unknown): boolean => hasCode(error, /^(53100|ENOSPC)$/);

/** Whether the database was given what is no text: NUL, or half a pair. */
export const isNoText = (error: unknown): boolean => hasCode(error, /^(22021|22P05)$/);
