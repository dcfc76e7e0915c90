import { type BrowserContext, test as base, type CDPSession, expect } from "@playwright/test";
import { createDemo } from "../demo/create";
import { api, BASE } from "./client";

export type { BrowserContext, Locator, Page } from "@playwright/test";
export { expect };

/** Scenes of one worker share a profile, so that the application is fetched and compiled once; nothing that a scene leaves in it stays. */
interface Profile {
  readonly context: BrowserContext;
  readonly session: CDPSession;
  readonly forget: () => Promise<void>;
}
const profiles = new Map<string, Profile>();

async function opened(make: () => Promise<BrowserContext>): Promise<Profile> {
  const context = await make();
  // A page of its own stays open, through which what is stored is cleared.
  const keeper = await context.newPage();
  const session = await context.newCDPSession(keeper);
  const forget = async (): Promise<void> => {
    await Promise.all(context.pages().map((page) => page !== keeper && page.close()));
    await context.unrouteAll();
    await context.clearCookies();
    await session.send("Storage.clearDataForOrigin", { origin: BASE, storageTypes: "local_storage,indexeddb,cache_storage,file_systems" });
  };
  return { context, session, forget };
}

export const test = base.extend({
  context: async ({ browser, baseURL, viewport, hasTouch }, use) => {
    const kind = JSON.stringify([viewport, hasTouch]);
    const profile = profiles.get(kind) ?? (await opened(() => browser.newContext({ baseURL, viewport, hasTouch })));
    profiles.set(kind, profile);
    let closed = false;
    profile.context.once("close", () => {
      closed = true;
      profiles.delete(kind);
    });
    await use(profile.context);
    if (!closed) await profile.forget();
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
