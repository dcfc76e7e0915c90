import { beforeAll, describe, expect, it } from "vitest";
import { addSource, api, BASE, newProject, noise, wavFile } from "../client";

const RATE = 48_000;

describe("files of other programs", () => {
  let [projectId, versionId] = ["", ""];
  const out = (path: string) => fetch(`${BASE}/api/versions/${versionId}/interchange/${path}`);
  const read = async (bytes: Uint8Array<ArrayBuffer>, name: string) => {
    const answer = await fetch(`${BASE}/api/projects/${projectId}/interchange?name=${encodeURIComponent(name)}`, { method: "POST", body: bytes });
    return { status: answer.status, body: await answer.json() };
  };
  beforeAll(async () => {
    ({ projectId, versionId } = await newProject(RATE));
    const { id: sourceId } = await addSource(projectId, wavFile([noise(10 * RATE, 3)]));
    const answer = await api("POST", `/api/versions/${versionId}/edits`, {
      revision: 0,
      edits: [
        {
          type: "set-time",
          tempo: [
            { tick: 0, bpm: 92.37 },
            { tick: 7680, bpm: 131.9, ramp: true },
            { tick: 15_360, bpm: 60 },
          ],
          meter: [
            { tick: 0, numerator: 4, denominator: 4 },
            { tick: 7680, numerator: 6, denominator: 8 },
          ],
        },
        { type: "add-marker", id: "m", position: 0, name: "Anfang, früh" },
        { type: "add-marker", id: "n", position: 12_345, name: "=1+1" },
        { type: "add-section", start: 0, end: 96_000, name: "Yard" },
        { type: "add-track", id: "t", name: "Loom" },
        { type: "add-clip", trackId: "t", sourceId, start: 4800, offset: 480, length: RATE, name: "Hit" },
      ],
    });
    expect(answer.status, JSON.stringify(answer.body)).toBe(200);
  });

  it("a MIDI file holds tempo, meter and markers, says what not, and reads back the same", async () => {
    const { body: check } = await api("GET", `/api/versions/${versionId}/interchange/midi?check=1`);
    expect(check.left.join(" ")).toMatch(/rounded to the microsecond.*1 glide.*1 marker.*Sections.*clips/);
    const file = await out("midi");
    expect(file.headers.get("content-disposition")).toContain(".mid");
    const { status, body } = await read(new Uint8Array(await file.arrayBuffer()), "Maps.mid");
    expect([status, body.version.name, body.left, body.missing]).toEqual([201, "Maps", [], []]);
    const [before, after] = [(await api("GET", `/api/versions/${versionId}`)).body, (await api("GET", `/api/versions/${body.version.id}`)).body];
    expect([after.tempo, after.meter]).toEqual([before.tempo, before.meter]);
    expect(after.markers.map((m: { name: string }) => m.name)).toEqual(["Anfang, früh", "=1+1"]);
    expect(Math.abs(after.markers[1].position - 12_345)).toBeLessThan(20);
  });

  it("tables hold markers, sections, clips and seams, no formula, and markers read back to the sample", async () => {
    const markers = await (await out("csv?what=markers&unit=bars")).text();
    expect(markers.split("\r\n").slice(0, 2)).toEqual(["name,position,samples,color", expect.stringMatching(/^"Anfang, früh",1\.1\.000,0,/)]);
    expect(markers).toContain("'=1+1");
    expect(await (await out("csv?what=sections")).text()).toContain("Yard");
    expect(await (await out("csv?what=clips&unit=samples")).text()).toContain("Loom,Hit,4800,52800,4800,52800");
    const seams = (await (await out("csv?what=seams")).text()).trim().split("\r\n");
    expect(seams).toHaveLength(3);
    expect(seams[1]).toMatch(/^Loom,.*,4800,,Hit,raw/);
    const { status, body } = await read(new TextEncoder().encode(markers) as Uint8Array<ArrayBuffer>, "Marks.csv");
    expect(status).toBe(201);
    const { body: made } = await api("GET", `/api/versions/${body.version.id}`);
    expect(made.markers.map((m: { position: number; name: string }) => [m.position, m.name])).toEqual([
      [0, "Anfang, früh"],
      [12_345, "=1+1"],
    ]);
  });

  it("a timeline holds the whole version, and reads back the same", async () => {
    await api("POST", `/api/versions/${versionId}/edits`, {
      revision: (await api("GET", `/api/versions/${versionId}`)).body.revision,
      edits: [
        { type: "stretch", clipIds: [(await api("GET", `/api/versions/${versionId}`)).body.clips[0].id], length: 60_000, kind: "hits" },
        { type: "repeat", clipIds: [(await api("GET", `/api/versions/${versionId}`)).body.clips[0].id], times: 2, every: 50_000, overlap: "blend" },
      ],
    });
    const before = (await api("GET", `/api/versions/${versionId}`)).body;
    expect((await api("GET", `/api/versions/${versionId}/interchange/otio?check=1`)).body.left.join(" ")).toMatch(/stretched/);
    const { status, body } = await read(new Uint8Array(await (await out("otio")).arrayBuffer()), "Cut.otio");
    expect([status, body.left, body.missing]).toEqual([201, [], []]);
    const after = (await api("GET", `/api/versions/${body.version.id}`)).body;
    for (const key of ["clips", "tracks", "markers", "sections", "tempo", "meter", "loop"]) expect(after[key], key).toEqual(before[key]);
    expect((await read(new TextEncoder().encode('{"OTIO_SCHEMA":"Clip.1"}') as Uint8Array<ArrayBuffer>, "x.otio")).body.message).toMatch(
      /no OpenTimelineIO/,
    );
  });

  it("what can't be read is refused in words, and makes no version", async () => {
    const before = (await api("GET", `/api/projects/${projectId}`)).body.versions.length;
    const broken = await read(new Uint8Array([0x4d, 0x54, 0x68, 0x64, 0, 0, 0, 6, 0]), "x.mid");
    expect([broken.status, broken.body.message]).toEqual([422, expect.stringMatching(/can't be read/)]);
    expect((await read(new Uint8Array([0xff, 0xfe, 0, 1, 2]), "x.bin")).status).toBe(422);
    expect((await read(new TextEncoder().encode("a,b\n1,2\n") as Uint8Array<ArrayBuffer>, "x.csv")).body.message).toMatch(/no column/);
    expect((await out("aaf")).status).toBe(404);
    expect((await api("GET", `/api/projects/${projectId}`)).body.versions).toHaveLength(before);
  });
});
