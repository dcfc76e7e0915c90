/** What the server tells as it happens, and "again" when something may have been missed. */
export interface LiveEvent {
  readonly type: "step" | "source" | "export" | "print" | "recording" | "made" | "project" | "again";
  readonly projectId?: string;
  readonly versionId?: string;
  readonly revision?: number;
  readonly madeId?: string;
  readonly recordingId?: string;
  readonly status?: string;
  readonly progress?: number;
}

const CHANNEL = "wet-thread live";

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
  if (others) others.onmessage = ({ data }) => meant(data as LiveEvent);
  const keepStream = (): Promise<void> =>
    new Promise((done) => {
      const stream = new EventSource("/api/events");
      const tell = (event: LiveEvent): void => {
        meant(event);
        others?.postMessage(event);
      };
      // After a break in the line something may have been missed.
      stream.onopen = () => tell({ type: "again" });
      stream.onmessage = ({ data }) => tell(JSON.parse(data) as LiveEvent);
      gone.signal.addEventListener("abort", () => {
        stream.close();
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
