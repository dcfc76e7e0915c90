import { dataOf } from "@wet-thread/core/model/document";
import { largePiece, RATE } from "./large";
import { call, newProject, sendLong, whenRead } from "./server";

/** Edits sent in one request. */
const AT_ONCE = 4000;

export async function send(versionId: string, edits: readonly object[]): Promise<void> {
  let { revision } = await call<{ revision: number }>(`/api/versions/${versionId}`);
  for (let at = 0; at < edits.length; at += AT_ONCE)
    ({ revision } = await call<{ revision: number }>(`/api/versions/${versionId}/edits`, { revision, edits: edits.slice(at, at + AT_ONCE) }));
}

/** Puts a piece of 200 tracks × 100 clips, each with fades, over eight recordings of a minute on the server. */
export async function loadLargePiece(tracks = 200, perTrack = 100): Promise<{ projectId: string; versionId: string }> {
  const made = await newProject("Large: 200 tracks of 100 clips", RATE);
  const ids: string[] = [];
  for (let i = 0; i < 8; i++) ids.push(await sendLong(made.projectId, 60, 1, RATE, `Bed ${i + 1}`));
  for (const id of ids) await whenRead(id);
  const piece = dataOf(largePiece(tracks, perTrack));
  await send(
    made.versionId,
    piece.tracks.flatMap((t) => [
      { type: "add-track", id: t.id, name: t.name },
      { type: "set-track", trackIds: [t.id], height: t.height, color: t.color },
    ]),
  );
  const source = (trackId: string): string => ids[Number(trackId.slice(1)) % ids.length];
  await send(
    made.versionId,
    piece.clips.map(({ id, trackId, start, offset, length, name, fadeIn, fadeOut }) => ({
      type: "add-clip",
      id,
      trackId,
      sourceId: source(trackId),
      start,
      offset,
      length,
      name,
      fadeIn,
      fadeOut,
    })),
  );
  return made;
}

const VOICE_SECONDS = 75;
/** 64 tracks of a minute, each one faded clip: for playing while it is edited. */
export async function loadManyTracks(tracks = 64, rounds = 1): Promise<{ projectId: string; versionId: string }> {
  const made = await newProject(`Many: ${tracks} tracks`, RATE);
  const ids: string[] = [];
  for (let i = 0; i < 16; i++) ids.push(await sendLong(made.projectId, VOICE_SECONDS, 1, RATE, `Voice ${i + 1}`));
  for (const id of ids) await whenRead(id);
  const fade = { length: 2400, shape: "power", bend: 0 };
  const edits = Array.from({ length: tracks }, (_, i) => [
    { type: "add-track", id: `t${i}`, name: `Voice ${i + 1}`, color: "woad" },
    ...Array.from({ length: rounds }, (_, r) => {
      const start = r * VOICE_SECONDS * RATE;
      return { type: "add-clip", id: `c${i} ${r}`, trackId: `t${i}`, sourceId: ids[i % 16], start, fadeIn: fade, fadeOut: fade, gain: -24 };
    }),
  ]).flat();
  await send(made.versionId, edits);
  return made;
}

/** One take stack of so many takes of so many minutes each, of a few recordings. */
export async function loadTakes(lanes: number, minutes: number): Promise<{ projectId: string; versionId: string }> {
  const made = await newProject(`${lanes} takes of ${minutes} minutes`, RATE);
  const ids: string[] = [];
  for (let i = 0; i < 5; i++) ids.push(await sendLong(made.projectId, minutes * 60, 1, RATE, `Take ${i + 1}`));
  for (const id of ids) await whenRead(id);
  const takes = Array.from({ length: lanes }, (_, i) => ({
    type: "add-clip",
    id: `k${i}`,
    trackId: "voice",
    sourceId: ids[i % ids.length],
    start: i * 100,
  }));
  await send(made.versionId, [{ type: "add-track", id: "voice", name: "Voice" }, ...takes]);
  await send(made.versionId, [{ type: "stack-takes", clipIds: takes.map((t) => t.id) }]);
  return made;
}

/** A stereo recording of some hours without a tempo, with so many edits: pauses taken out, each splice blended, parts faded and moved. */
export async function loadLongNight(hours: number, edits: number, rate = RATE): Promise<{ projectId: string; versionId: string; sourceId: string }> {
  const made = await newProject(`The long night: ${hours} hours`, rate);
  const sourceId = await sendLong(made.projectId, hours * 3600, 2, rate, "The long night");
  await whenRead(sourceId);
  const total = hours * 3600 * rate;
  const piece = total / (edits / 2 + 1);
  const fade = { length: Math.round(rate / 100), shape: "power", bend: 0 };
  await send(made.versionId, [
    { type: "add-track", id: "night", name: "Night" },
    { type: "add-clip", id: "take", trackId: "night", sourceId, start: 0 },
  ]);
  // From the end on, so that places that come earlier stay as they are. Each edit is a step of its own, as it would be by hand.
  for (let k = Math.floor(edits / 2); k >= 1; k--) {
    const at = Math.round(k * piece);
    let { revision } = await call<{ revision: number }>(`/api/versions/${made.versionId}/edits`, {
      revision: (await call<{ revision: number }>(`/api/versions/${made.versionId}/history`)).revision,
      edits: [{ type: "delete-range", start: at, end: at + Math.round(rate * 0.7), trackIds: ["night"], neighbours: "ripple", edgeFade: fade }],
    });
    const { clips } = await call<{ clips: { id: string; start: number }[] }>(`/api/versions/${made.versionId}`);
    const right = clips.find((c) => c.start === at);
    if (!right) continue;
    ({ revision } = await call<{ revision: number }>(`/api/versions/${made.versionId}/edits`, {
      revision,
      edits: [{ type: "set-blend", clipId: right.id, length: Math.round(rate / 20), law: "auto", shape: "power", place: "centred" }],
    }));
  }
  return { ...made, sourceId };
}
