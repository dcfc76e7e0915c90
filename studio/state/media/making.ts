import { create } from "zustand";
import { toast } from "../words/toast";
import { forgetMade } from "./media";

/** How far what recipes make is, by the id of what is made; what is there, or nobody works on, is not in it. */
export const useMaking = create<{ readonly progress: ReadonlyMap<string, number> }>(() => ({ progress: new Map() }));

const here = new Set<string>();

/** Whether some of what is made under an id is known to be there. */
export const isMadeHere = (madeId: string): boolean => here.has(madeId);

/** Takes what the server tells of what is being made. */
export function hearMade(madeId: string, status: string, progress: number): void {
  useMaking.setState((state) => {
    const next = new Map(state.progress);
    if (status === "rendering") next.set(madeId, progress);
    else next.delete(madeId);
    return { progress: next };
  });
  if (status === "failed")
    toast.error("A stretched or pitched clip could not be made yet. It is tried again; until then it is heard as tape plays it.", { id: "made" });
  if (status === "ready") here.add(madeId);
  forgetMade(madeId);
}
