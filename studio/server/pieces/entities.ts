import { PIECE_ID } from "@wet-thread/core/model/document";
import type { VersionData } from "@wet-thread/core/model/schema";
import { sql } from "drizzle-orm";
import type { Database } from "../db/client";

/** Rows that go to the database in one statement. */
const AT_ONCE = 5000;

/** Writes all that a new version holds, a row a thing. */
export async function layEntities(
  on: Pick<Database, "execute">,
  versionId: string,
  { piece, tracks, clips, markers, sections, bundles }: VersionData,
): Promise<void> {
  const kinds = { track: tracks, clip: clips, marker: markers, section: sections, bundle: bundles };
  const rows = Object.entries(kinds).flatMap(([kind, list]) =>
    (list as readonly { id: string }[]).map((data) => ({ kind, id: data.id, data: data as object })),
  );
  const all = [{ kind: "piece", id: PIECE_ID, data: piece as object }, ...rows];
  for (let at = 0; at < all.length; at += AT_ONCE)
    await on.execute(sql`insert into entities (version_id, kind, id, data)
      select ${versionId}, r.kind, r.id, r.data from jsonb_to_recordset(${JSON.stringify(all.slice(at, at + AT_ONCE))}::jsonb) as r(kind text, id text, data jsonb)`);
}
