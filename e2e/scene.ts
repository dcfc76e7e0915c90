import fs from "node:fs";
import os from "node:os";
import path from "node:path";
import { type BrowserContext, test as base, type CDPSession, expect, type Page } from "@playwright/test";
import { createDemo } from "../demo/create";
import { api, BASE } from "./client";

export type { BrowserContext, Locator, Page } from "@playwright/test";
export { expect };

/** A browser's profile on the disk, as people have one: the application is fetched and compiled once for many scenes. */
class Profile {
  private constructor(
    readonly context: BrowserContext,
    private readonly folder: string,
    private readonly keeper: Page,
    private readonly session: CDPSession,
  ) {}

  static async open(make: (folder: string) => Promise<BrowserContext>): Promise<Profile> {
    const folder = fs.mkdtempSync(path.join(os.tmpdir(), "wet-thread-profile-"));
    const context = await make(folder);
    // The page that it begins with stays open, and clears what scenes leave behind.
    const [keeper] = context.pages();
    return new Profile(context, folder, keeper, await context.newCDPSession(keeper));
  }

  /** Nothing that a scene leaves in it stays, but for what was compiled. */
  async forget(): Promise<void> {
    const { context, keeper } = this;
    await Promise.all(context.pages().map((page) => page !== keeper && page.close()));
    await context.unrouteAll();
    await context.clearCookies();
    await this.session.send("Storage.clearDataForOrigin", { origin: BASE, storageTypes: "local_storage,indexeddb,cache_storage,file_systems" });
  }

  async close(): Promise<void> {
    await this.context.close();
    fs.rmSync(this.folder, { recursive: true, force: true });
  }
}

export const test = base.extend<object, { profiles: Map<string, Profile> }>({
  profiles: [
    // biome-ignore lint/correctness/noEmptyPattern: a fixture names what it needs
    async ({}, use) => {
      const profiles = new Map<string, Profile>();
      await use(profiles);
      for (const profile of profiles.values()) await profile.close();
    },
    { scope: "worker" },
  ],
  context: async ({ playwright, launchOptions, baseURL, viewport, hasTouch, profiles }, use) => {
    const kind = JSON.stringify([viewport, hasTouch]);
    const open = (folder: string) => playwright.chromium.launchPersistentContext(folder, { ...launchOptions, baseURL, viewport, hasTouch });
    const profile = profiles.get(kind) ?? (await Profile.open(open));
    profiles.set(kind, profile);
    let closed = false;
    profile.context.once("close", () => {
      closed = true;
    });
    await use(profile.context);
    if (closed) {
      profiles.delete(kind);
      await profile.close();
    } else await profile.forget();
  },
});

let first: Promise<{ projectId: string }> | null = null;

/** The demo as it is at first, in a project of the scene's own: a copy, which shares its recordings with the one that was made first. */
export async function aDemo(name: string): Promise<{ projectId: string; versionId: string }> {
  first ??= createDemo(BASE, "Demo of the scenes");
  const { projectId } = await first;
  const { status, body } = await api("POST", `/api/projects/${projectId}/duplicate`, { name });
  if (status !== 201) throw new Error(`The demo could not be copied: ${status} ${JSON.stringify(body)}`);
  return { projectId: body.id, versionId: body.versions[0].id };
}
