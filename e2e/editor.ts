import { expect, type Page } from "@playwright/test";
import { keptModes } from "@wet-thread/core/model/modes";
import type { Clip, VersionData } from "@wet-thread/core/model/schema";
import { api, exportWav, readWav } from "./client";

/** The version as the API sends it. */
export type Version = Omit<VersionData, "piece"> & VersionData["piece"] & { id: string; revision: number };

/** Gives a version modes, as far as some settings are modes; the others are those that it begins with. */
export async function setModes(versionId: string, settings: Record<string, unknown>): Promise<void> {
  const wanted = keptModes(settings);
  if (Object.keys(wanted).length === 0) return;
  const { status, body } = await api("PATCH", `/api/versions/${versionId}`, { modes: wanted });
  if (status !== 200) throw new Error(`The modes were answered with ${status}: ${JSON.stringify(body)}`);
}

/** The editor in the browser, driven by pointer and keys; positions are samples, heights pixels into a track's lane. */
export class EditorPage {
  constructor(
    readonly page: Page,
    readonly projectId: string,
    readonly versionId: string,
  ) {}

  static async open(
    page: Page,
    { projectId, versionId }: { projectId: string; versionId: string },
    settings: Record<string, unknown> = {},
  ): Promise<EditorPage> {
    await page.addInitScript((state) => {
      if (!localStorage.getItem("wet-thread settings")) localStorage.setItem("wet-thread settings", JSON.stringify({ state, version: 0 }));
    }, settings);
    await setModes(versionId, settings);
    await page.goto(`/p/${projectId}`);
    const editor = new EditorPage(page, projectId, versionId);
    await expect(editor.lanes).toHaveAttribute("data-samples-per-pixel", /\d/);
    return editor;
  }

  get lanes() {
    return this.page.getByTestId("lanes");
  }

  /** Unfolds a part of the inspector's page about clips. */
  async openPart(name: string): Promise<void> {
    const fold = this.page.getByRole("region", { name, exact: true }).getByRole("button", { name }).first();
    if ((await fold.getAttribute("aria-expanded")) === "false") await fold.click();
  }

  /**
   * The version as the server has it, once what the hand has done so far is there and the page has followed; steps that the page keeps by itself
   * (the server is away, or refuses them) are not waited for. A page that does not follow fails.
   */
  async version(): Promise<Version> {
    const { page, versionId } = this;
    if (page.isClosed()) return this.onServer();
    const shown = (id: string) => {
      const { dataset } = document.querySelector<HTMLElement>("[data-testid=save-state]") ?? {};
      return dataset?.version === id ? { save: dataset.save, revision: Number(dataset.revision) } : null;
    };
    await expect.poll(async () => (await page.evaluate(shown, versionId))?.save, { message: "steps are on their way still" }).not.toBe("saving");
    const version = await this.onServer();
    const follows = async (): Promise<boolean> => {
      const at = await page.evaluate(shown, versionId);
      return !at || at.save === "waiting" || at.revision >= version.revision;
    };
    await expect.poll(follows, { message: `the page has not followed to revision ${version.revision}` }).toBe(true);
    return version;
  }

  /** The version as the server has it now, whatever is on its way. */
  async onServer(): Promise<Version> {
    const { status, body } = await api<Version>("GET", `/api/versions/${this.versionId}`);
    if (status !== 200) throw new Error(`The version was answered with ${status}: ${JSON.stringify(body)}`);
    return body;
  }

  async clip(id: string): Promise<Clip> {
    const found = (await this.version()).clips.find((c) => c.id === id);
    if (!found) throw new Error(`no clip ${id}`);
    return found;
  }

  /** Waits until every step has reached the server, those back and forward through the history too. */
  async saved(): Promise<void> {
    // What a press brings about in the page's next turn has begun.
    await this.page.evaluate(() => new Promise((done) => setTimeout(done)));
    await expect(this.page.locator("[data-testid=save-state][data-save=saved][data-walks='0']")).toHaveCount(1);
  }

  /** Where the view is: the lanes on the screen, the sample at their left edge, samples a pixel, and how far down. */
  async view() {
    const box = await this.lanes.boundingBox();
    if (!box) throw new Error("no lanes");
    const at = async (name: string): Promise<number> => Number(await this.lanes.getAttribute(name));
    return { box, start: await at("data-start"), per: await at("data-samples-per-pixel"), scrollY: await at("data-scroll-y") };
  }

  /** The place on the screen of a sample on a track, `y` pixels into its lane. */
  async at(sample: number, trackId: string, y = 50): Promise<{ x: number; y: number }> {
    const { box, start, per, scrollY } = await this.view();
    let top = 0;
    for (const track of (await this.version()).tracks) {
      if (track.id === trackId) return { x: box.x + (sample - start) / per, y: box.y + top + y - scrollY };
      if (!track.hidden) top += track.height;
    }
    throw new Error(`no track ${trackId}`);
  }

  async rulerAt(sample: number): Promise<{ x: number; y: number }> {
    const { box, start, per } = await this.view();
    return { x: box.x + (sample - start) / per, y: box.y - 15 };
  }

  async samplesPerPixel(): Promise<number> {
    await this.settle();
    return (await this.view()).per;
  }

  /** Brings a span into view by real means: a range made in the ruler, then the key for zooming to it. */
  async show(from: number, to: number): Promise<void> {
    await this.page.keyboard.press("w");
    await this.settle();
    const a = await this.rulerAt(from);
    const b = await this.rulerAt(to);
    await this.page.keyboard.down("g");
    await this.drag(a, { x: Math.max(b.x, a.x + 6), y: b.y });
    await this.page.keyboard.up("g");
    await this.page.keyboard.press("z");
    await this.page.keyboard.press("Escape");
    await this.settle();
  }

  /** Waits for the next drawing to be done. */
  async settle(): Promise<void> {
    await this.page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
  }

  async drag(from: { x: number; y: number }, to: { x: number; y: number }, during?: () => Promise<void>): Promise<void> {
    const { mouse } = this.page;
    await mouse.move(from.x, from.y);
    await mouse.down();
    await mouse.move(from.x + (to.x - from.x) / 3, from.y + (to.y - from.y) / 3);
    await mouse.move(to.x, to.y, { steps: 4 });
    await during?.();
    await this.settle();
    await mouse.up();
  }

  async chooseTrack(name: string): Promise<void> {
    await this.page
      .getByRole("complementary", { name: "Tracks" })
      .getByLabel(`Mute ${name}`, { exact: true })
      .locator("xpath=../..")
      .click({ position: { x: 150, y: 8 } });
    await this.page.keyboard.press("Escape");
  }

  /** Makes a range by dragging in the lanes, over one track or from one to another. */
  async range(from: number, to: number, trackId: string, toTrack = trackId): Promise<void> {
    await this.drag(await this.at(from, trackId, 50), await this.at(to, toTrack, 50));
    await expect(this.page.getByTestId("selection")).toContainText("Range");
  }

  /** Where a clip's name strip can be taken hold of, near its start but clear of corner and edge. */
  async nameOf(id: string, into?: number): Promise<{ x: number; y: number }> {
    const clip = await this.clip(id);
    const per = await this.samplesPerPixel();
    return this.at(clip.start + (into ?? Math.min(clip.length / 2, 16 * per)), clip.trackId, 16);
  }

  /** Selects clips by clicking their name strips. */
  async select(...ids: string[]): Promise<void> {
    for (const [i, id] of ids.entries()) {
      const { x, y } = await this.nameOf(id);
      if (i > 0) await this.page.keyboard.down("Shift");
      await this.page.mouse.click(x, y);
      if (i > 0) await this.page.keyboard.up("Shift");
    }
  }

  /** The clips of a track as they lie. */
  async lane(trackId: string): Promise<Clip[]> {
    return (await this.version()).clips.filter((c) => c.trackId === trackId).sort((a, b) => a.start - b.start || a.layer - b.layer);
  }

  /** Chooses a line of the context menu at a place. */
  async menu(place: { x: number; y: number }, line: string | RegExp): Promise<void> {
    await this.page.mouse.click(place.x, place.y, { button: "right" });
    await this.page.getByRole("menuitem", { name: line }).click();
    await expect(this.page.getByRole("menu")).toHaveCount(0);
  }

  /** The samples of some tracks from `start` on, as an export has them. */
  async heard(span: { start: number; end: number }, tracks: string[]): Promise<Float32Array[]> {
    await this.saved();
    return readWav(await exportWav(this.versionId, { span, tracks }));
  }
}
