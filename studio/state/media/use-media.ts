import { useSyncExternalStore } from "react";
import { onMedia } from "./media";

let count = 0;
onMedia(() => {
  count++;
});

/** Draws a component again when samples or peaks have come into the page. */
export const useMedia = (): number =>
  useSyncExternalStore(
    onMedia,
    () => count,
    () => 0,
  );
