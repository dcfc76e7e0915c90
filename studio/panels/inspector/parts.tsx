"use client";
import type { ReactNode } from "react";
import { toast } from "sonner";

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
