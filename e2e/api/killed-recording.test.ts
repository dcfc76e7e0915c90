import { setTimeout as wait } from "node:timers/promises";
import { afterAll, beforeAll, expect, it } from "vitest";
import { until } from "../client";
import { OwnServer } from "../own-server";

let own: OwnServer;
beforeAll(async () => {
  own = await OwnServer.start(".test/killed-recording");
});
afterAll(() => own?.stop());

const RATE = 48_000;
/** Frames that come at a time: a quarter second. */
const PART = RATE / 4;
/** How many takes, each with one kill while it comes in and one while it is taken in; a long look makes thirty. */
const TAKES = Number(process.env.WET_THREAD_TAKES ?? 6);

/** A page that records: what comes is kept until the server has acknowledged it, as the page does. */
class Recording {
  acknowledged = 0;
  private came = 0;
  private over = false;

  private constructor(
    readonly id: string,
    readonly sourceId: string,
    private readonly trackId: string,
  ) {}

  static async begin(versionId: string, trackId: string): Promise<Recording> {
    const { id, tracks } = await own.must("POST", `/api/versions/${versionId}/recordings`, { tracks: [{ trackId, name: "Take", channels: 1 }] });
    return new Recording(id, tracks[0].sourceId, trackId);
  }

  /** Each sample tells where it belongs. */
  static sampleAt = (frame: number): number => (frame % 30_000) / 30_000;

  /** A quarter second comes in every few milliseconds, and is sent until it is acknowledged. */
  async run(): Promise<void> {
    while (!this.over || this.acknowledged < this.came) {
      if (!this.over) this.came += PART;
      const from = this.acknowledged;
      const part = Float32Array.from({ length: this.came - from }, (_, i) => Recording.sampleAt(from + i));
      try {
        const { status, body } = await own.call("PATCH", `/api/recordings/${this.id}?from=${from}`, new Uint8Array(part.buffer));
        if (status === 200) this.acknowledged = body.frames;
      } catch {
        // The server is away: it is sent again.
      }
      await wait(10);
    }
  }

  stop(): void {
    this.over = true;
  }

  async end(): Promise<void> {
    const takes = [[{ start: 0, offset: 0, length: this.came }]];
    const lay = [{ type: "lay-recording", tracks: [{ trackId: this.trackId, sourceId: this.sourceId, takes }], overlap: "cover" }];
    for (;;) {
      const answer = await own.call("POST", `/api/recordings/${this.id}/end`, { frames: this.came, lay }).catch(() => null);
      if (answer && answer.status < 300) return;
      await wait(50);
    }
  }

  /** Every sample that came is there, once and in its place. */
  async check(): Promise<number> {
    const source = await own.must("GET", `/api/sources/${this.sourceId}`);
    expect(source).toMatchObject({ status: "ready", length: this.came });
    let wrong = 0;
    for (let index = 0; index * 65_536 < this.came; index++) {
      const answer = await fetch(`${own.url}/api/sources/${this.sourceId}/pcm?chunk=${index}`);
      const chunk = new Float32Array(await answer.arrayBuffer());
      for (const [i, v] of chunk.entries()) if (v !== Math.fround(Recording.sampleAt(index * 65_536 + i))) wrong++;
    }
    return wrong;
  }
}

it(
  "not a sample of a take is lost, doubled or out of place when web server, database and worker are killed in the midst of it and while it is taken in",
  async () => {
    const { id: projectId, versions } = await own.must("POST", "/api/projects", { name: "Takes", sampleRate: RATE });
    const versionId = versions[0].id;
    await own.must("POST", `/api/versions/${versionId}/edits`, { revision: 0, edits: [{ type: "add-track", id: "loom" }] });
    const breakDown = async (what: "web" | "database" | "worker"): Promise<void> => {
      if (what === "worker") return void own.killWorker();
      if (what === "web") {
        await own.killWeb();
        return own.startWeb();
      }
      own.killDatabase();
      return own.startDatabase();
    };
    const whats = ["web", "database", "worker"] as const;
    for (let take = 0; take < TAKES; take++) {
      const recording = await Recording.begin(versionId, "loom");
      const running = recording.run();
      while (recording.acknowledged < (8 + take) * PART) await wait(5);
      await breakDown(whats[take % 3]);
      const before = recording.acknowledged;
      while (recording.acknowledged < before + 8 * PART) await wait(5);
      recording.stop();
      await running;
      await recording.end();
      // While it is taken in the worker is always the one that matters; now and then the database besides.
      await breakDown(take % 2 === 0 ? "worker" : whats[(take + 1) % 3]);
      const row = await until(
        async () => (await own.call("GET", `/api/recordings/${recording.id}`)).body,
        (r) => r.status === "ready" || r.status === "failed",
      );
      expect(row).toMatchObject({ status: "ready", error: null });
      expect(await recording.check()).toBe(0);
      // It is laid once, however often it was begun.
      const { clips } = await own.must("GET", `/api/versions/${versionId}`);
      expect(clips.filter((c: { sourceId: string }) => c.sourceId === recording.sourceId)).toHaveLength(1);
    }
    expect((await own.must("GET", `/api/projects/${projectId}`)).sources).toHaveLength(TAKES);
    expect((await own.must("GET", `/api/versions/${versionId}/recordings`)).recordings).toEqual([]);
  },
  60_000 + 30_000 * TAKES,
);
