import { restFor } from "./retry";

/** What the server tells as it happens, and "again" when something may have been missed. */
export interface LiveEvent {
  readonly type: "step" | "source" | "export" | "print" | "recording" | "made" | "project" | "again";
  readonly projectId?: string;
  readonly versionId?: string;
  readonly revision?: number;
  readonly sourceId?: string;
  readonly madeId?: string;
  readonly recordingId?: string;
  readonly status?: string;
  readonly progress?: number;
}

const CHANNEL = "wet-thread live";
/** `EventSource.CLOSED`. */
const CLOSED = 2;

/**
 * The server's events for one page. A browser has six connections to a server: all its tabs share one stream. The tab that holds the lock
 * keeps the stream and hands on what comes; when it closes, the next in line takes over, and all catch up. Where the browser has no
 * locks, the tab keeps a stream of its own.
 */
export function listenLive(projectId: string, hear: (event: LiveEvent) => void): () => void {
  const gone = new AbortController();
  const meant = (event: LiveEvent): void => {
    if (event.type === "again" || event.projectId === projectId) hear(event);
  };
  const others = typeof BroadcastChannel === "undefined" ? null : new BroadcastChannel(CHANNEL);
  if (others) {
    others.onmessage = ({ data }) => meant(data as LiveEvent);
    // What happened after this page fetched what it shows, and before it heard of it here, was told to the others only.
    meant({ type: "again" });
  }
  const keepStream = (): Promise<void> =>
    new Promise((done) => {
      const tell = (event: LiveEvent): void => {
        meant(event);
        others?.postMessage(event);
      };
      let stream: EventSource | null = null;
      let tries = 0;
      const open = (): void => {
        if (gone.signal.aborted) return;
        const now = new EventSource("/api/events");
        stream = now;
        // After a break in the line something may have been missed.
        now.onopen = () => {
          tries = 0;
          tell({ type: "again" });
        };
        now.onmessage = ({ data }) => tell(JSON.parse(data) as LiveEvent);
        // A line that breaks is taken up again by the browser; one that was answered with an error is not.
        now.onerror = () => {
          if (now.readyState !== CLOSED) return;
          now.close();
          void restFor(tries++).then(open);
        };
      };
      open();
      gone.signal.addEventListener("abort", () => {
        stream?.close();
        done();
      });
    });
  if (others && navigator.locks) navigator.locks.request(CHANNEL, { signal: gone.signal }, keepStream).catch(() => {});
  else void keepStream();
  return () => {
    gone.abort();
    others?.close();
  };
}
