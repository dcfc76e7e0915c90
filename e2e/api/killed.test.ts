import { setTimeout as wait } from "node:timers/promises";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { listenTo, noise, until, wavFile } from "../client";
import { choicesOf, Hand } from "../hand";
import { OwnServer } from "../own-server";

let own: OwnServer;
beforeAll(async () => {
  own = await OwnServer.start(".test/killed");
});
afterAll(() => own?.stop());

const RATE = 44_100;
const SECONDS = 120;

/** How many kills; a long look takes sixty. */
const KILLS = Number(process.env.WET_THREAD_KILLS ?? 12);

describe("nothing that was acknowledged is lost", () => {
  it(
    "when web server, worker and database are killed in turn, many times, while two edit, undo and redo and recordings come in",
    async () => {
      const hands = [await Hand.start(own), await Hand.start(own)];
      const choices = [choicesOf(1), choicesOf(2)];
      const project = await own.must("POST", "/api/projects", { name: "Killed", sampleRate: 48_000 });
      // At another rate, so that reading it takes a while.
      const samples = noise(RATE * SECONDS, 5);
      const file = wavFile([samples, samples], "i16", RATE);
      const sent: string[] = [];
      const send = async (): Promise<void> => {
        try {
          const { status, body } = await own.call("POST", `/api/projects/${project.id}/sources?name=long.wav`, file);
          if (status === 201) sent.push(body.id);
        } catch {
          // The server went while it was coming.
        }
      };
      for (let round = 0; round < KILLS; round++) {
        const before = hands.map((h) => h.acknowledged);
        const work = hands.map((h, i) => h.work(choices[i]));
        const sending = round % 3 === 0 ? send() : Promise.resolve();
        while (hands.some((h, i) => h.acknowledged < before[i] + 3 + (round % 12))) await wait(5);
        const what = (["web", "worker", "database"] as const)[round % 3];
        if (what === "worker") {
          // Edits don't need it: nobody is held up.
          expect(own.killWorker()).toBe(1);
          while (hands.some((h, i) => h.acknowledged < before[i] + 10 + (round % 12))) await wait(5);
          own.killDatabase();
        } else if (what === "database") own.killDatabase();
        else await own.killWeb();
        await Promise.all([...work, sending]);
        if (what === "web") await own.startWeb();
        else {
          const away = await own.call("POST", `/api/versions/${hands[0].versionId}/undo`, {});
          expect(away).toMatchObject({ status: 503, body: { error: "database-away", kept: "Nothing was changed." } });
          await own.startDatabase();
        }
        for (const hand of hands) await hand.check();
      }
      expect(Math.min(...hands.map((h) => h.acknowledged))).toBeGreaterThan(80);
      // Every recording that was acknowledged is read in the end, whoever was killed meanwhile.
      expect(sent.length).toBeGreaterThan(0);
      for (const id of sent) {
        const source = await until(
          () => own.must("GET", `/api/sources/${id}`),
          (s) => s.status === "ready" || s.status === "failed",
        );
        expect(source).toMatchObject({ status: "ready", length: 48_000 * SECONDS, channels: 2 });
        const back = new Uint8Array(await (await fetch(`${own.url}/api/sources/${id}/file`)).arrayBuffer());
        expect(Buffer.from(back).equals(Buffer.from(file))).toBe(true);
      }
    },
    20_000 * KILLS,
  );

  it("and the first who listens to a server that was just started is answered when the database is heard, not before", async () => {
    await own.killWeb();
    await own.startWeb();
    const project = await own.must("POST", "/api/projects", { name: "Heard", sampleRate: 48_000 });
    const mark = (revision: number) =>
      own.must("POST", `/api/versions/${project.versions[0].id}/edits`, { revision, edits: [{ type: "add-marker", position: revision }] });
    await mark(0);
    // Some connections at once, so that nobody waits for a new one later.
    await Promise.all(Array.from({ length: 12 }, () => own.must("GET", `/api/projects/${project.id}`)));
    own.databaseDoor(false);
    let answered = false;
    const listening = listenTo(own.url, project.id).then((heard) => {
      answered = true;
      return heard;
    });
    // Edits go on by the connections that are there.
    for (let revision = 1; revision < 40; revision++) await mark(revision);
    own.databaseDoor(true);
    expect(answered).toBe(false);
    const { hears, stop } = await listening;
    await mark(40);
    await hears('"step"');
    stop();
  }, 60_000);

  it("when the worker is killed in the midst of an import: another takes the job up", async () => {
    const project = await own.must("POST", "/api/projects", { name: "Killed", sampleRate: 48_000 });
    const samples = noise(RATE * 240, 5);
    const source = await own.must("POST", `/api/projects/${project.id}/sources?name=long.wav`, wavFile([samples, samples], "i16", RATE));
    for (let round = 0; round < 3; round++) {
      await until(
        () => own.must("GET", `/api/sources/${source.id}`),
        (s) => s.status === "importing" || s.status === "ready",
      );
      own.killWorker();
    }
    const read = await until(
      () => own.must("GET", `/api/sources/${source.id}`),
      (s) => s.status === "ready",
    );
    expect(read.length).toBe(48_000 * 240);
  }, 180_000);

  it("when the database is killed while both hands of the worker are at work: both jobs are done all the same", async () => {
    const project = await own.must("POST", "/api/projects", { name: "Both hands", sampleRate: 48_000 });
    const samples = noise(RATE * 240, 6);
    const file = wavFile([samples, samples], "i16", RATE);
    const ids: string[] = [];
    for (const name of ["left", "right"]) ids.push((await own.must("POST", `/api/projects/${project.id}/sources?name=${name}.wav`, file)).id);
    const both = (...statuses: string[]) =>
      until(
        () => Promise.all(ids.map((id) => own.must("GET", `/api/sources/${id}`))),
        (all) => all.every((s) => statuses.includes(s.status)),
      );
    await both("importing", "ready");
    own.killDatabase();
    await own.startDatabase();
    for (const { length } of await both("ready")) expect(length).toBe(48_000 * 240);
  }, 180_000);
});
