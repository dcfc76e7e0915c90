import { session } from "../sync/session";
import { useView, view } from "./view";

/** So many selections are remembered. */
const MOST = 32;
/**
 * Where all that was selected is gone, as after the undo of a duplicate, selects again what was selected before it, as far as that is
 * there. Follows until the returned function is called.
 */
export function rememberSelections(): () => void {
  const remembered: ReadonlySet<string>[] = [];
  let restoring = false;
  const offView = useView.subscribe((v, old) => {
    if (v.clipIds === old.clipIds || restoring || old.clipIds.size === 0) return;
    remembered.push(old.clipIds);
    if (remembered.length > MOST) remembered.shift();
  });
  const offDoc = session().store.subscribe((s, old) => {
    if (s.doc === old.doc || view().clipIds.size === 0) return;
    // Commands that take clips away say themselves what is selected then.
    queueMicrotask(() => {
      const { clipIds } = view();
      const { clips } = session().doc;
      if (clipIds.size === 0 || [...clipIds].some((id) => clips.has(id))) return;
      const before = remembered.findLast((ids) => [...ids].some((id) => clips.has(id)));
      restoring = true;
      useView.setState({ clipIds: new Set([...(before ?? [])].filter((id) => clips.has(id))) });
      restoring = false;
    });
  });
  return () => {
    offView();
    offDoc();
  };
}
