import type { Entities, EntityKind } from "./document";
import type { Clip } from "./schema";

type Thing = Entities[EntityKind] | null;

/** Whether a thing is not what it was; most clips of which thousands changed lie elsewhere. */
export function differs(kind: EntityKind, before: Thing, after: Thing): boolean {
  if (kind === "clip" && before && after && (before as Clip).start !== (after as Clip).start) return true;
  return !alike(before, after);
}

/** Whether two values hold the same, all the way down. */
export function alike(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (typeof a !== "object" || typeof b !== "object" || a === null || b === null) return false;
  const [x, y] = [a as Record<string, unknown>, b as Record<string, unknown>];
  for (const key in x) if (!alike(x[key], y[key])) return false;
  for (const key in y) if (x[key] === undefined && y[key] !== undefined) return false;
  return true;
}
