import { createHash, createHmac, timingSafeEqual } from "node:crypto";

/** Who may do what on a server that is open to the network: everybody signs in with its passphrase; a server on loopback asks nobody. */
export const passphrase = (): string | null => process.env.WET_THREAD_PASSPHRASE || null;

export const COOKIE = "wet_thread";
const DAYS = 30;

/** Compares in a time that says nothing of either; of any length. */
const same = (a: string, b: string): boolean => timingSafeEqual(createHash("sha256").update(a).digest(), createHash("sha256").update(b).digest());

export const isPassphrase = (given: string): boolean => same(given, passphrase() ?? "");

const sign = (text: string): string => createHmac("sha256", `wet-thread session ${passphrase()}`).update(text).digest("base64url");

/** A session's cookie. A change of the passphrase ends every session. */
export function newSession(secure: boolean, now = Date.now()): string {
  const until = String(now + DAYS * 86_400_000);
  return `${COOKIE}=${until}.${sign(until)}; Path=/; HttpOnly; SameSite=Lax; Max-Age=${DAYS * 86_400}${secure ? "; Secure" : ""}`;
}
export const noSession = (): string => `${COOKIE}=; Path=/; HttpOnly; SameSite=Lax; Max-Age=0`;

export function isSession(cookies: string | null, now = Date.now()): boolean {
  const value = new RegExp(`(?:^|;\\s*)${COOKIE}=([^;]+)`).exec(cookies ?? "")?.[1];
  const [until = "", signature = ""] = value?.split(".") ?? [];
  return signature !== "" && same(signature, sign(until)) && Number(until) > now;
}

/** The API's token, and that of the start command, which makes the demo. */
export function hasToken(headers: Headers): boolean {
  const given = headers.get("authorization") ?? "";
  return [process.env.WET_THREAD_TOKEN, process.env.WET_THREAD_START_TOKEN].some((token) => token && same(given, `Bearer ${token}`));
}

export const LOOPBACK = /^(localhost|127\.\d+\.\d+\.\d+|\[::1\])(:\d+)?$/;

/** Whether the name that a browser used for this server is one of its own: a page elsewhere can't pass it off as another. */
export const isOwnHost = (host: string | null): boolean => passphrase() !== null || LOOPBACK.test(host ?? "");

/** The address that asks, as the front of the server tells it. */
const addressOf = (headers: Headers): string => headers.get("x-forwarded-for")?.split(",").at(-1)?.trim() || "here";

const FREE = 5;
const FIRST_MS = 1000;
const MOST_MS = 60_000;
const MOST_KNOWN = 10_000;
const guesses = new Map<string, { wrong: number; until: number }>();

/** How long, in ms, an address has to wait before it may guess again. */
export const waitFor = (headers: Headers, now = Date.now()): number => Math.max(0, (guesses.get(addressOf(headers))?.until ?? 0) - now);

/** A wrong guess: after a few of them each one makes the next wait twice as long. */
export function guessedWrong(headers: Headers, now = Date.now()): void {
  const address = addressOf(headers);
  const wrong = (guesses.get(address)?.wrong ?? 0) + 1;
  if (guesses.size >= MOST_KNOWN) guesses.clear();
  guesses.set(address, { wrong, until: wrong < FREE ? 0 : now + Math.min(MOST_MS, FIRST_MS * 2 ** (wrong - FREE)) });
}
export const guessedRight = (headers: Headers): void => void guesses.delete(addressOf(headers));

/**
 * Whether a request comes from somebody who is known here: by a session, a token, or the passphrase (HTTP Basic, any user name). Only the
 * last can be guessed, and is not looked at while an address has to wait: `wait` tells how long.
 */
export function admit(headers: Headers): { readonly in: boolean; readonly wait: number } {
  if (!passphrase() || isSession(headers.get("cookie")) || hasToken(headers)) return { in: true, wait: 0 };
  if (!headers.has("authorization")) return { in: false, wait: 0 };
  const wait = waitFor(headers);
  if (wait > 0) return { in: false, wait };
  const [scheme, value = ""] = (headers.get("authorization") ?? "").split(" ");
  const right = scheme === "Basic" && isPassphrase(Buffer.from(value, "base64").toString().split(":").slice(1).join(":"));
  if (right) guessedRight(headers);
  else guessedWrong(headers);
  return { in: right, wait: 0 };
}
