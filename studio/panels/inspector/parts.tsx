"use client";
import { timebaseOf } from "@wet-thread/core/model/document";
import { formatLength, parsePosition } from "@wet-thread/core/time/format";
import type { ReactNode } from "react";
import { session } from "@/state/sync/session";
import { toast } from "@/state/words/toast";

export const Label = ({ children, side }: { children: ReactNode; side?: ReactNode }) => (
  <div className="mt-3.5 mb-1 flex justify-between text-ink-2 text-sm">
    <span>{children}</span>
    {side && <span className="text-ink-3">{side}</span>}
  </div>
);

export const Empty = ({ title, children }: { title: string; children: ReactNode }) => (
  <div className="py-8 text-center text-ink-2">
    <p className="font-semibold text-ink">{title}</p>
    <p className="mx-auto mt-1 max-w-[220px]">{children}</p>
  </div>
);

/** Reads a number that a person typed, or says what was not understood. A comma or a true minus is fine. */
export function numberFrom(text: string, least: number, most: number, what: string): number | null {
  const value = Number(
    text
      .trim()
      .replace(",", ".")
      .replace("−", "-")
      .replace(/\s*(ms|db|%)$/i, ""),
  );
  if (text.trim() !== "" && Number.isFinite(value) && value >= least && value <= most) return value;
  toast.error(`“${text}” is no ${what}: it lies between ${least} and ${most}.`);
  return null;
}

export const signed = (v: number, digits: number): string => `${v < 0 ? "−" : "+"}${Math.abs(v).toFixed(digits)}`;

/**
 * A length that a person typed: a bare number is milliseconds, anything else a number with its unit or a position's form; with a sign, a
 * change of what it is `now`. In samples.
 */
export function lengthFrom(text: string, least = 0, now = 0): number | null {
  const base = timebaseOf(session().doc);
  try {
    const bare = /^\s*[+−-]?\s*\d+([.,]\d+)?\s*$/.test(text);
    const samples = parsePosition(bare ? `${text.trim().replace(",", ".")} ms` : text, "samples", base, now);
    if (samples < least) throw new RangeError(`“${text}” is too short: the least is ${formatLength(least, base.sampleRate)}.`);
    return samples;
  } catch (error) {
    toast.error((error as Error).message);
    return null;
  }
}
