// What a hand waits for while the server is at work on what nobody waits for: an edit of 200 clips beside three imports.
import { send } from "./load";
import { p95, type Row } from "./rows";
import { call, newProject, sendLong, whenRead } from "./server";

const [RATE, CLIPS, IMPORTS] = [48_000, 200, 3];
/** Of other rates, so that each sample is worked out. */
const SECONDS = 600;

export async function besideRows(): Promise<Row[]> {
  const { projectId, versionId } = await newProject("Beside", RATE);
  const bed = await sendLong(projectId, 60, 1, RATE, "Bed");
  await whenRead(bed);
  const ids = Array.from({ length: CLIPS }, (_, i) => `c${i}`);
  await send(versionId, [
    { type: "add-track", id: "t" },
    ...ids.map((id, i) => ({ type: "add-clip", id, trackId: "t", sourceId: bed, start: i * RATE, length: RATE / 2 })),
  ]);
  let { revision } = await call<{ revision: number }>(`/api/versions/${versionId}`);
  const edit = async (): Promise<number> => {
    const since = performance.now();
    const edits = [{ type: "set-gain", clipIds: ids, gain: -1 - (revision % 9) }];
    ({ revision } = await call<{ revision: number }>(`/api/versions/${versionId}/edits`, { revision, edits }));
    return performance.now() - since;
  };
  for (let i = 0; i < 5; i++) await edit();
  const alone: number[] = [];
  for (let i = 0; i < 60; i++) alone.push(await edit());
  const others = await Promise.all(Array.from({ length: IMPORTS }, (_, i) => sendLong(projectId, SECONDS, 2, 44_100, `Long ${i + 1}`)));
  let over = false;
  const read = Promise.all(others.map(whenRead)).then(() => {
    over = true;
  });
  const beside: number[] = [];
  while (!over) beside.push(await edit());
  await read;
  return [
    { name: "edit.200 over the API", value: p95(alone), unit: "ms p95, 200 clips", budget: "–" },
    { name: "edit.200 beside imports", value: p95(beside), unit: `ms p95 of ${beside.length}, while ${IMPORTS} imports run`, budget: "< 150" },
  ];
}
