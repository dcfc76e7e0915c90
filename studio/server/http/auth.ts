import { createHash, createHmac, randomBytes, timingSafeEqual } from "node:crypto";
import { eq, lt, sql } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import { db } from "../db/client";
import { sessions } from "../db/schema";
import { ofProcess } from "../process/of-process";

/** Who may do what on a server that is open to the network: everybody signs in with its passphrase; a server on loopback asks nobody. */
export const passphrase = (): string | null => process.env.WET_THREAD_PASSPHRASE || null;

export const COOKIE = "wet_thread";
const DAYS = 30;

const digest = (text: string): string => createHash("sha256").update(text).digest("base64url");
/** Compares in a time that says nothing of either; of any length. */
const same = (a: string, b: string): boolean => timingSafeEqual(createHash("sha256").update(a).digest(), createHash("sha256").update(b).digest());

export const isPassphrase = (given: string): boolean => same(given, passphrase() ?? "");

/** The passphrase under a token as a key: who has only one of them learns nothing of the other. */
const proofOf = (token: string): string =>
  createHmac("sha256", token)
    .update(passphrase() ?? "")
    .digest("base64url");

/** Sessions that were found to hold a moment ago, by their id: each request asks. One that is ended elsewhere ends here within that moment. */
const MOMENT_MS = 2000;
const holding = ofProcess("sessions", () => new LRUCache<string, true>({ max: 10_000, ttl: MOMENT_MS }));

/** Begins a session, and returns its cookie. A change of the passphrase ends every session. */
export async function newSession(secure: boolean): Promise<string> {
  const token = randomBytes(32).toString("base64url");
  const until = sql`now() + make_interval(days => ${DAYS})`;
  await db()
    .insert(sessions)
    .values({ id: digest(token), proof: proofOf(token), until });
  await db().delete(sessions).where(lt(sessions.until, sql`now()`));
  return `${COOKIE}=${token}; Path=/; HttpOnly; SameSite=Lax; Max-Age=${DAYS * 86_400}${secure ? "; Secure" : ""}`;
}

const tokenOf = (headers: Headers): string | undefined => new RegExp(`(?:^|;\\s*)${COOKIE}=([\\w-]+)`).exec(headers.get("cookie") ?? "")?.[1];

/** Ends the session that a request comes with, and returns the cookie that takes its place: whoever kept the old one has nothing. */
export async function endSession(headers: Headers): Promise<string> {
  const token = tokenOf(headers);
  if (token) {
    await db()
      .delete(sessions)
      .where(eq(sessions.id, digest(token)));
    holding.delete(digest(token));
  }
  return `${COOKIE}=; Path=/; HttpOnly; SameSite=Lax; Max-Age=0`;
}

/** Whether a request comes with a session that holds. Rejects where the database is away: that is not known then. */
async function hasSession(headers: Headers): Promise<boolean> {
  const token = tokenOf(headers);
  if (!token) return false;
  const id = digest(token);
  if (holding.has(id)) return true;
  const [row] = await db().select({ proof: sessions.proof }).from(sessions).where(sql`${sessions.id} = ${id} and ${sessions.until} > now()`);
  const holds = row !== undefined && same(row.proof, proofOf(token));
  if (holds) holding.set(id, true);
  return holds;
}

/** The API's token, and that of the start command, which makes the demo. */
export function hasToken(headers: Headers): boolean {
  const given = headers.get("authorization") ?? "";
  return [process.env.WET_THREAD_TOKEN, process.env.WET_THREAD_START_TOKEN].some((token) => token && same(given, `Bearer ${token}`));
}

export const LOOPBACK = /^(localhost|127\.\d+\.\d+\.\d+|\[::1\])(:\d+)?$/;

/** Whether the name that a browser used for this server is one of its own: a page elsewhere can't pass it off as another. */
export const isOwnHost = (host: string | null): boolean => passphrase() !== null || LOOPBACK.test(host ?? "");

/** The address that asks, as the front of the server tells it (scripts/lib/front.mjs); without one anybody could say what he likes. */
const addressOf = (headers: Headers): string =>
  (process.env.WET_THREAD_FRONTED && headers.get("x-forwarded-for")?.split(",").at(-1)?.trim()) || "here";

const FREE = 5;
const FIRST_MS = 1000;
const MOST_MS = 60_000;
const MOST_KNOWN = 10_000;
const guesses = ofProcess("guesses", () => new LRUCache<string, { readonly wrong: number; readonly until: number }>({ max: MOST_KNOWN }));

/** How long, in ms, an address has to wait before it may guess again. */
export const waitFor = (headers: Headers, now = Date.now()): number => Math.max(0, (guesses.get(addressOf(headers))?.until ?? 0) - now);

/** A wrong guess: after a few of them each one makes the next wait twice as long. They are counted together, whichever way they come. */
export function guessedWrong(headers: Headers, now = Date.now()): void {
  const address = addressOf(headers);
  const wrong = (guesses.get(address)?.wrong ?? 0) + 1;
  guesses.set(address, { wrong, until: wrong < FREE ? 0 : now + Math.min(MOST_MS, FIRST_MS * 2 ** (wrong - FREE)) });
}
export const guessedRight = (headers: Headers): void => void guesses.delete(addressOf(headers));

/**
 * Whether a request comes from somebody who is known here: by a session, a token, or the passphrase (HTTP Basic, any user name). Only the
 * last can be guessed, and is not looked at while an address has to wait: `wait` tells how long. Rejects where the database is away.
 */
export async function admit(headers: Headers): Promise<{ readonly in: boolean; readonly wait: number }> {
  if (!passphrase() || hasToken(headers) || (await hasSession(headers))) return { in: true, wait: 0 };
  if (!headers.has("authorization")) return { in: false, wait: 0 };
  const wait = waitFor(headers);
  if (wait > 0) return { in: false, wait };
  const [scheme, value = ""] = (headers.get("authorization") ?? "").split(" ");
  const right = scheme === "Basic" && isPassphrase(Buffer.from(value, "base64").toString().split(":").slice(1).join(":"));
  if (right) guessedRight(headers);
  else guessedWrong(headers);
  return { in: right, wait: 0 };
}
