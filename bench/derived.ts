// The rows about pieces of clips that play what recipes make, or carry envelopes: opened and drawn by the real page, and made anew after an edit.
import { playedId } from "@wet-thread/core/model/recipe/played-recording";
import type { Clip } from "@wet-thread/core/model/schema";
import { RATE } from "./large";
import { loadLargePiece, send } from "./load";
import { frameRows, lowAndWide, openPage, openRow, openTime, withPages } from "./page";
import { median, p95, type Row } from "./rows";
import { BASE, call, newProject, sendLong, whenRead } from "./server";

const clipsOf = async (versionId: string): Promise<Clip[]> => (await call<{ clips: Clip[] }>(`/api/versions/${versionId}`)).clips;
const CHUNK = 65_536;

/** Waits until chunks of what a clip plays are there; gives when its first one was. */
async function whenMade(clip: Clip): Promise<number> {
  const id = playedId(clip);
  let first = 0;
  for (let chunk = Math.floor(clip.offset / CHUNK); chunk * CHUNK < clip.offset + clip.length; chunk++) {
    let status = 202;
    while (status === 202) {
      const answer = await fetch(`${BASE}/api/sources/${id}/pcm?chunk=${chunk}`);
      status = answer.status;
      await answer.arrayBuffer();
      if (status === 202) await new Promise((wake) => setTimeout(wake, 20));
    }
    if (status !== 200) throw new Error(`${id}: ${status}`);
    first ||= performance.now();
  }
  return first;
}

/** Clips of four seconds whose end is pulled to another length, each a recipe of its own: until their finished sound is there. */
export async function stretchedRows(): Promise<Row[]> {
  const { projectId, versionId } = await newProject("Bench: stretched", RATE);
  const sourceId = await sendLong(projectId, 60, 1, RATE, "Struck");
  await whenRead(sourceId);
  const starts = Array.from({ length: 14 }, (_, i) => i);
  await send(versionId, [
    { type: "add-track", id: "t" },
    ...starts.map((i) => ({ type: "add-clip", id: `c${i}`, trackId: "t", sourceId, start: i * 10 * RATE, offset: i * 4 * RATE, length: 4 * RATE })),
  ]);
  const [first, all]: [number[], number[]] = [[], []];
  for (const i of starts) {
    const { revision } = await call<{ revision: number }>(`/api/versions/${versionId}`);
    const begun = performance.now();
    await call(`/api/versions/${versionId}/edits`, {
      revision,
      edits: [{ type: "stretch", clipIds: [`c${i}`], length: 4 * RATE + 9000 + 700 * i, kind: i % 2 ? "hits" : "smooth" }],
    });
    first.push((await whenMade((await clipsOf(versionId)).find((c) => c.id === `c${i}`) as Clip)) - begun);
    all.push(performance.now() - begun);
  }
  // The first one also sets up what makes them.
  const row = (name: string, times: number[], what: string): Row => ({
    name,
    value: median(times.slice(1)),
    unit: `ms from the edit of a 4 s clip to ${what} of its finished sound, the median (p95 ${Math.round(p95(times.slice(1)))})`,
    budget: "< 400",
  });
  return [row("stretch.heard", first, "the first"), row("stretch.made", all, "all")];
}

export const derivedRows = (): Promise<Row[]> =>
  withPages(async () => {
    const rows: Row[] = [];
    const { projectId, versionId } = await loadLargePiece(20, 100);
    const page = await openPage();
    const plain = await openRow(page, projectId, "open, plain", "2,000 clips");
    const ids = (await clipsOf(versionId)).map((c) => c.id);
    const { revision } = await call<{ revision: number }>(`/api/versions/${versionId}`);
    // Every one of some other pitch, as far as recipes go that may be different on one recording.
    for (let k = 0; k < 4; k++)
      await call(`/api/versions/${versionId}/edits`, {
        revision: revision + k,
        edits: [{ type: "set-pitch", clipIds: ids.filter((_, i) => i % 4 === k), cents: 100 * (k + 1), links: false }],
      });
    for (const clip of await clipsOf(versionId)) await whenMade(clip);
    const derived = await openRow(page, projectId, "open, derived", "2,000 clips that play what recipes make");
    rows.push({ ...plain, budget: "–" }, { ...derived, budget: "–" });
    rows.push({ name: "open, derived − plain", value: derived.value - plain.value, unit: "ms", budget: "< 2000" });
    await page.context().close();

    const dense = await loadLargePiece(17, 600);
    const all = (await clipsOf(dense.versionId)).map((c) => c.id);
    const line = [0, 6000, 12_000, 20_000].map((at, i) => ({ at, value: [-12, 0, -6, -24][i] }));
    await send(
      dense.versionId,
      all.map((id) => ({ type: "set-envelope", clipIds: [id], kind: "gain", from: "clip", points: line, links: false })),
    );
    const other = await openPage();
    await openTime(other, dense.projectId);
    await lowAndWide(other);
    rows.push(...(await frameRows(other, "10,200 clips with envelopes in view")));
    return rows;
  });
