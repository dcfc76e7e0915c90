import { useCallback, useEffect, useRef, useState } from "react";
import { ask, ServerError } from "@/state/sync/api";
import { session, useSession } from "@/state/sync/session";
import { toast } from "@/state/words/toast";
import type { OutJob } from "./settings";

/** An export that has been asked for, before the server answered. */
const NOT_YET: OutJob = {
  id: "",
  status: "queued",
  progress: 0,
  error: null,
  name: "",
  bytes: 0,
  files: [],
  spec: { format: "wav", split: "none", measure: false },
};

const wait = (ms: number): Promise<void> => new Promise((wake) => setTimeout(wake, ms));

/** Where a tab remembers the export that it asked for, so that it finds it again when it was loaded anew. */
const placeOf = (versionId: string): string => `wet-thread export ${versionId}`;
function remembered(versionId: string): string | null {
  try {
    return sessionStorage.getItem(placeOf(versionId));
  } catch {
    return null;
  }
}
function remember(versionId: string, id: string | null): void {
  try {
    if (id) sessionStorage.setItem(placeOf(versionId), id);
    else sessionStorage.removeItem(placeOf(versionId));
  } catch {
    // A browser that keeps nothing: the export is lost from sight with the tab, and from nothing else.
  }
}

/** The export that this tab asked for last, looked after until it has ended. `onReady` is called when it ends well. */
export function useExport(onReady: (job: OutJob) => void) {
  const versionId = useSession((s) => s.versionId);
  const [job, setJob] = useState<OutJob | null>(null);
  const ready = useRef(onReady);
  ready.current = onReady;

  const follow = useCallback(
    async (id: string, gone: () => boolean): Promise<void> => {
      try {
        while (!gone()) {
          const now = await ask<OutJob>(`/api/exports/${id}`).catch((error: ServerError) => {
            // A server that is away is waited for.
            if (error.passing) return null;
            throw error;
          });
          if (gone()) return;
          if (now) setJob(now);
          if (now?.status === "ready" || now?.status === "failed") {
            remember(versionId, null);
            if (now.status === "ready") ready.current(now);
            return;
          }
          await wait(now ? 250 : 1000);
        }
      } catch (error) {
        // What became of one that is not watched any more is nothing to the one that is.
        if (gone()) return;
        remember(versionId, null);
        setJob(null);
        // One that was called off is not there any more.
        if (!(error instanceof ServerError)) throw error;
        if (error.status !== 404) toast.error(error.message);
      }
    },
    [versionId],
  );

  /** Every new export, or another version, ends the watch over the one before. */
  const watch = useRef(0);
  const followOne = useCallback(
    (id: string): void => {
      const mine = ++watch.current;
      void follow(id, () => watch.current !== mine);
    },
    [follow],
  );
  useEffect(() => {
    const id = remembered(versionId);
    if (id) followOne(id);
    return () => {
      watch.current++;
    };
  }, [versionId, followOne]);

  /** Asks for an export of what is seen: the steps on their way are waited for, and the revision that they lead to is named. */
  const start = async (request: Record<string, unknown>): Promise<void> => {
    watch.current++;
    setJob({ ...NOT_YET });
    const own = session();
    try {
      await own.settled();
      const { revision } = own.store.getState();
      const { id } = await ask<{ id: string }>(`/api/versions/${versionId}/exports`, { json: { ...request, revision } });
      remember(versionId, id);
      followOne(id);
    } catch (error) {
      setJob(null);
      if (!(error instanceof ServerError)) throw error;
      toast.error(error.message);
    }
  };
  const callOff = (): void => {
    watch.current++;
    if (job?.id) void ask(`/api/exports/${job.id}`, { method: "DELETE" }).catch(() => {});
    remember(versionId, null);
    setJob(null);
    toast("The export was called off. Nothing was kept of it.", { id: "export" });
  };
  return { job, start, callOff, follow: followOne, busy: job !== null && job.status !== "ready" && job.status !== "failed" };
}
