const place = globalThis as typeof globalThis & { wetThread?: Map<string, unknown> };

/** What there is once in a process, under a name. The framework loads a module more than once, each with state of its own: this is where all of them see the same. */
export function ofProcess<T>(name: string, make: () => T): T {
  place.wetThread ??= new Map();
  if (!place.wetThread.has(name)) place.wetThread.set(name, make());
  return place.wetThread.get(name) as T;
}
