import { safeName } from "@wet-thread/core/media/file-names";
import { dataOf } from "@wet-thread/core/model/document";
import { and, asc, eq, gt, inArray, lte } from "drizzle-orm";
import { db } from "../db/client";
import { type StepState, sources, steps } from "../db/schema";
import { getProject } from "../pieces/projects";
import { loadVersion } from "../pieces/versions";
import { type ZipEntry, zipOf } from "../process/zip";
import { ofProject } from "../recorded/sources";
import { readSource } from "../recorded/store";
import { ARCHIVE_FORMAT, ARCHIVE_VERSION, MANIFEST, type Manifest } from "./format";

/** Steps fetched at a time. */
const STEPS = 200;

/** Files' names, each its own, whatever a system thinks of capitals. */
function names(wished: readonly { name: string; ending: string }[]): string[] {
  const taken = new Set<string>();
  return wished.map(({ name, ending }) => {
    const base = safeName(name);
    let file = `${base}${ending}`;
    for (let n = 2; taken.has(file.toLowerCase()); n++) file = `${base} ${n}${ending}`;
    taken.add(file.toLowerCase());
    return file;
  });
}

/** What each edit of a version was at a revision, done or not: whatever was taken back since, the steps up to there tell. */
async function statesAt(versionId: string, upTo: number): Promise<ReadonlyMap<number, StepState>> {
  const rows = await db()
    .select({ revision: steps.revision, kind: steps.kind, target: steps.target })
    .from(steps)
    .where(and(eq(steps.versionId, versionId), lte(steps.revision, upTo)))
    .orderBy(asc(steps.revision));
  const dropped: number[] = [];
  let [done, undone]: number[][] = [[], []];
  for (const { revision, kind, target } of rows) {
    const to = target ?? 0;
    if (kind === "edit") {
      dropped.push(...undone);
      done.push(revision);
      undone = [];
    } else if (kind === "undo") {
      undone.push(...done.filter((r) => r >= to));
      done = done.filter((r) => r < to);
    } else if (kind === "redo") {
      done.push(...undone.filter((r) => r <= to));
      undone = undone.filter((r) => r > to);
    }
  }
  return new Map([...undone.map((r) => [r, "undone"] as const), ...dropped.map((r) => [r, "dropped"] as const)]);
}

/** Steps of a version up to a revision, a line of JSON each, as they were then. */
async function* historyLines(versionId: string, upTo: number): AsyncGenerator<string> {
  const states = await statesAt(versionId, upTo);
  for (let from = 0; from < upTo; ) {
    const rows = await db()
      .select()
      .from(steps)
      .where(and(eq(steps.versionId, versionId), gt(steps.revision, from)))
      .orderBy(asc(steps.revision))
      .limit(STEPS);
    for (const { versionId: _, ...step } of rows) {
      if (step.revision > upTo) return;
      yield `${JSON.stringify({ ...step, state: states.get(step.revision) ?? "done" })}\n`;
    }
    if (rows.length < STEPS) return;
    from = (rows.at(-1) as { revision: number }).revision;
  }
}

/** A whole project as one zip, made as it is read. Throws ApiError 404 or 410. */
export async function archiveOf(projectId: string, history: boolean): Promise<{ name: string; bytes: AsyncIterable<Uint8Array> }> {
  const project = await getProject(projectId);
  const rows = await db()
    .select()
    .from(sources)
    .where(and(ofProject(projectId), inArray(sources.status, ["ready", "asking", "failed"])))
    .orderBy(asc(sources.createdAt));
  const files = names(rows);
  const loaded = await Promise.all(project.versions.map((v) => loadVersion(v.id)));
  const manifest: Manifest = {
    format: ARCHIVE_FORMAT,
    formatVersion: ARCHIVE_VERSION,
    project: { name: project.name, sampleRate: project.sampleRate },
    recordings: rows.map((r, i) => ({
      id: r.id,
      name: r.name,
      file: `recordings/${files[i]}`,
      bytes: r.bytes,
      length: r.length,
      kept: r.kept,
      removed: r.removedAt !== null,
      parts: r.parts,
    })),
    versions: loaded.map((v, i) => ({
      name: v.name,
      description: project.versions[i].description,
      revision: v.revision,
      modes: project.versions[i].modes,
      file: `versions/${i + 1}.json`,
      history: history ? `versions/${i + 1}.history.ndjson` : null,
    })),
  };
  const contents = loaded.flatMap((version, i): ZipEntry[] => {
    const { file, history: lines } = manifest.versions[i];
    const own = { name: file, content: JSON.stringify(dataOf(version.doc)) };
    return lines ? [own, { name: lines, pieces: () => historyLines(version.id, version.revision), packed: true }] : [own];
  });
  const sounds = rows.map((row, i) => ({
    name: manifest.recordings[i].file,
    pieces: () => readSource(row.id, 0, row.bytes),
    large: row.bytes > 2 ** 31,
  }));
  return { name: project.name, bytes: zipOf([{ name: MANIFEST, content: JSON.stringify(manifest, null, 2) }, ...contents, ...sounds]) };
}
