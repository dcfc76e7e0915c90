import { useCallback, useEffect, useState } from "react";
import { ask, ServerError } from "../sync/api";
import { toast } from "../words/toast";

interface Named {
  readonly id: string;
  readonly name: string;
}

interface KeptThings<T extends Named> {
  /** By name; null as long as it is not known what there is. */
  readonly kept: readonly T[] | null;
  /** Keeps something under a name, in place of what there was under it. False where it was not kept; why has been said. */
  keep(thing: Omit<T, "id">, done?: string): Promise<boolean>;
  remove(thing: T): Promise<boolean>;
}

/** What the server keeps under names for every project: its presets or feels. What does not succeed is said. */
export function useKept<T extends Named>(things: "presets" | "feels"): KeptThings<T> {
  const [kept, setKept] = useState<readonly T[] | null>(null);
  /** Where the server is away they stay unknown, and who shows them says so. */
  const load = useCallback(async (): Promise<void> => {
    try {
      setKept((await ask<Record<string, T[]>>(`/api/${things}`))[things]);
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
    }
  }, [things]);
  useEffect(() => void load(), [load]);
  const then = async (work: () => Promise<unknown>, done: string): Promise<boolean> => {
    try {
      await work();
      toast(done, { id: things, duration: 2500 });
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      toast.error(error.message, { id: things });
      return false;
    } finally {
      await load();
    }
    return true;
  };
  return {
    kept,
    keep: (thing, done = `Kept as “${thing.name}”`) => then(() => ask(`/api/${things}`, { json: thing }), done),
    remove: (thing) => then(() => ask(`/api/${things}/${thing.id}`, { method: "DELETE" }), `“${thing.name}” is kept no longer`),
  };
}
