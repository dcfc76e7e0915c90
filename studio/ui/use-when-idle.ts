import { useEffect, useState } from "react";

/** At the latest after this the value is taken over, idle or not. */
const LATEST_MS = 600;

/** A value as it was when the page last had a moment; null before it ever had. For what is shown of it at leisure. */
export function useWhenIdle<T>(value: T): T | null {
  const [taken, setTaken] = useState<{ readonly value: T } | null>(null);
  useEffect(() => {
    const wish = requestIdleCallback(() => setTaken({ value }), { timeout: LATEST_MS });
    return () => cancelIdleCallback(wish);
  }, [value]);
  return taken ? taken.value : null;
}
