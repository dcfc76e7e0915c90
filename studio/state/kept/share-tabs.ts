/** A store that is kept by the browser. */
interface KeptStore {
  readonly persist: { getOptions(): { readonly name?: string }; rehydrate(): Promise<void> | void };
}

/** Has a store that the browser keeps follow the other tabs: each writes all of it, and would write over what another has changed. */
export function shareTabs<S extends KeptStore>(store: S): S {
  if (typeof window === "undefined") return store;
  const { name } = store.persist.getOptions();
  window.addEventListener("storage", ({ key, newValue }) => {
    if (key === name && newValue !== null) void store.persist.rehydrate();
  });
  return store;
}
