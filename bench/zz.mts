import { call, newProject, sendLong, until, whenRead } from "./server";

const RATE = 48000;
const { projectId, versionId } = await newProject("prof", RATE);
const ids: string[] = [];
for (let i = 0; i < 8; i++) ids.push(await sendLong(projectId, 600, 1, RATE, `Part${i}`));
for (const id of ids) await whenRead(id);
const fade = { length: 480, shape: "power", bend: 0 };
const edits = Array.from({ length: 32 }, (_, i) => [
  { type: "add-track", id: `t${i}`, name: `Track ${i}` },
  { type: "add-clip", id: `c${i}`, trackId: `t${i}`, sourceId: ids[i % 8], start: 0, fadeIn: fade, fadeOut: fade, gain: -18 },
]).flat();
await call(`/api/versions/${versionId}/edits`, { revision: 0, edits });
const { id } = await call<{ id: string }>(`/api/versions/${versionId}/exports`, { encoding: "pcm24" });
await until<{ status: string }>(`/api/exports/${id}`, (e) => e.status === "ready" || e.status === "failed");
console.log(id, ids[0]);
