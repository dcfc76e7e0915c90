"use client";
import type { Processor } from "@wet-thread/core/model/recipe/treatment";
import type { Clip } from "@wet-thread/core/model/schema";
import { useEffect, useRef, useState } from "react";
import { hearChain, layChain, treatmentOff } from "@/commands/edit/treat";

interface Laying {
  readonly clips: readonly Clip[];
  readonly chain: readonly Processor[];
  /** The place of a normalise whose gain is to be worked out anew. */
  readonly measure: number | null;
}

const idsOf = (clips: readonly Clip[]): string => clips.map((c) => c.id).join(" ");

/**
 * The chain of clips as it is worked on. Laying one may take a moment, where a normalise is measured: until then it shows as it will be, and
 * what is changed next goes on from there, however fast the hand or the key is.
 */
export function useChain(clips: readonly Clip[], laid: readonly Processor[]) {
  const [turned, setTurned] = useState<readonly Processor[] | null>(null);
  const [ahead, setAhead] = useState<{ readonly of: string; readonly chain: readonly Processor[] } | null>(null);
  const before = ahead?.of === idsOf(clips) ? ahead.chain : laid;
  const waiting = useRef<Laying[]>([]);
  const laying = useRef(false);
  /** What is heard of it now: nothing, what the hand is turning at, or that until it is laid. */
  const heard = useRef<"laid" | "turned" | "let go">("laid");

  const hear = (next: readonly Processor[] | null): void => {
    heard.current = next ? "turned" : "laid";
    hearChain(clips, next);
  };
  // What is turned at may go meanwhile, taken away in another tab: the piece is heard again.
  useEffect(
    () => () => {
      if (heard.current !== "laid") hearChain([], null);
    },
    [],
  );

  const work = async (): Promise<void> => {
    laying.current = true;
    try {
      for (let next = waiting.current.shift(); next; next = waiting.current.shift()) {
        if (next.chain.length === 0) treatmentOff();
        else await layChain(next.clips, next.chain, next.measure);
      }
    } finally {
      laying.current = false;
      setAhead(null);
      if (heard.current === "let go") hear(null);
    }
  };
  const lay = (chain: readonly Processor[], measure: number | null = null): void => {
    if (heard.current === "turned") heard.current = "let go";
    setTurned(null);
    setAhead({ of: idsOf(clips), chain });
    waiting.current.push({ clips, chain, measure });
    if (!laying.current) void work();
  };
  const having = (i: number, part: object): Processor[] => before.map((p, k) => (k === i ? ({ ...p, ...part } as Processor) : p));
  return {
    chain: turned ?? before,
    lay,
    /** Changes one processor. */
    change(i: number, part: object): void {
      const next = having(i, part);
      lay(next, next[i].kind === "normalise" && !("on" in part) ? i : null);
    },
    /** Turns at a value: heard and drawn at once, laid when the hand lets go; null calls it off. */
    turn(i: number, key: string, value: number | null): void {
      const next = value === null ? null : having(i, { [key]: value });
      setTurned(next);
      hear(next);
    },
  };
}
