import { sql } from "drizzle-orm";
import pg from "pg";
import { type Database, databaseUrl } from "../db/client";
import { ofProcess } from "../process/of-process";

/** What the pages of a project are told as it happens. */
export type ProjectEvent =
  | { readonly type: "step"; readonly projectId: string; readonly versionId: string; readonly revision: number }
  | { readonly type: "source"; readonly projectId: string; readonly sourceId: string; readonly status: string; readonly progress: number }
  | { readonly type: "export"; readonly projectId: string; readonly exportId: string; readonly status: string; readonly progress: number }
  | { readonly type: "print"; readonly projectId: string; readonly printId: string; readonly status: string; readonly progress: number }
  | { readonly type: "recording"; readonly projectId: string; readonly recordingId: string; readonly status: string; readonly progress: number }
  /** Some of what a recipe makes is there now. */
  | { readonly type: "made"; readonly projectId: string; readonly madeId: string; readonly status: string; readonly progress: number }
  | { readonly type: "project"; readonly projectId: string }
  /** For every project: something may have been missed. */
  | { readonly type: "again" };

const CHANNEL = "wet_thread";

/** What, selected, tells every process; inside a transaction it goes out with the commit. */
export const announcing = (event: ProjectEvent) => sql`pg_notify(${CHANNEL}, ${JSON.stringify(event)})`;

export async function announce(on: Pick<Database, "execute">, event: ProjectEvent): Promise<void> {
  await on.execute(sql`select ${announcing(event)}`);
}

/** What happens to a recording, or to what is made of it. */
type OfSource = Extract<ProjectEvent, { readonly sourceId: string } | { readonly madeId: string }>;
type Unaddressed<E> = E extends unknown ? Omit<E, "projectId"> : never;

/** Tells every project that has a recording: its own, and those that share it. */
export async function announceSource(on: Pick<Database, "execute">, sourceId: string, event: Unaddressed<OfSource>): Promise<void> {
  await on.execute(sql`select pg_notify(${CHANNEL}, (${JSON.stringify(event)}::jsonb || jsonb_build_object('projectId', p.id))::text)
    from (select project_id as id from sources where id = ${sourceId} union select project_id from shared_sources where source_id = ${sourceId}) as p`);
}

type Listener = (event: ProjectEvent) => void;
interface Listening {
  readonly listeners: Set<Listener>;
  /** Settled once the first try to listen has come to an end, either way. */
  readonly begun: Promise<void>;
}

/** Listens on a connection of its own, again and again. When it was lost and is there again, everybody is told: what happened meanwhile was not heard. */
async function listen(listeners: Set<Listener>, again = false): Promise<void> {
  const client = new pg.Client({ connectionString: databaseUrl(), keepAlive: true, connectionTimeoutMillis: 10_000 });
  let lost = false;
  const reconnect = (): void => {
    if (lost) return;
    lost = true;
    client.removeAllListeners();
    client.on("error", () => {});
    client.end().catch(() => {});
    setTimeout(() => void listen(listeners, true), 1000);
  };
  client.on("error", reconnect);
  client.on("end", reconnect);
  client.on("notification", ({ payload }) => {
    if (!payload) return;
    const event = JSON.parse(payload) as ProjectEvent;
    for (const listener of listeners) listener(event);
  });
  try {
    await client.connect();
    await client.query(`listen ${CHANNEL}`);
    if (again) for (const listener of listeners) listener({ type: "again" });
  } catch {
    reconnect();
  }
}

const held = (): Listening =>
  ofProcess("listening", () => {
    const listeners = new Set<Listener>();
    return { listeners, begun: listen(listeners) };
  });

/** Resolves when the database is listened to, or is known to be away: what happens from now on is heard, or told as missed. */
export const listening = (): Promise<void> => held().begun;

/** Calls back for each event until the returned function is called. One connection serves all listeners of a process. */
export function onEvent(listener: Listener): () => void {
  const { listeners } = held();
  listeners.add(listener);
  return () => void listeners.delete(listener);
}
