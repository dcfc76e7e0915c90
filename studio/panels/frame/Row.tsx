import type { ReactNode } from "react";

/** A line of a small panel: what it is, and what sets it. */
export function Row({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div className="flex min-h-8 items-center justify-between gap-3">
      <span>{name}</span>
      {children}
    </div>
  );
}
