import { type ChildProcess, execFileSync, spawn } from "node:child_process";
import fs from "node:fs";
import https from "node:https";
import path from "node:path";
import { freePort, ROOT } from "../../scripts/lib/shell.mjs";
import { expect, test } from "../scene";

const FOLDER = ".test/network";
const home = path.join(ROOT, FOLDER);
const PASSPHRASE = "warp & weft, 92";
let child: ChildProcess;
let at: string;

/** Asks as a program would, over https with a certificate of the test's own making. */
function ask(
  where: string,
  headers: Record<string, string> = {},
  method = "GET",
  body = "",
): Promise<{ status: number; headers: Record<string, unknown>; body: string }> {
  return new Promise((resolve, reject) => {
    https
      .request(at + where, { method, headers, rejectUnauthorized: false }, (answer) => {
        let body = "";
        answer.on("data", (d) => {
          body += d;
        });
        answer.on("end", () => resolve({ status: answer.statusCode ?? 0, headers: answer.headers, body }));
      })
      .on("error", reject)
      .end(body);
  });
}
const basic = (text: string) => ({ authorization: `Basic ${Buffer.from(`anyone:${text}`).toString("base64")}` });

test.beforeAll(async () => {
  test.setTimeout(120_000);
  fs.rmSync(home, { recursive: true, force: true });
  fs.mkdirSync(home, { recursive: true });
  const [key, cert] = [path.join(home, "key.pem"), path.join(home, "cert.pem")];
  const request = ["req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=wet-thread"];
  execFileSync("openssl", [...request, "-keyout", key, "-out", cert], { stdio: "ignore" });
  const port = await freePort(0, "0.0.0.0");
  at = `https://127.0.0.2:${port}`;
  const open = { HOST: "0.0.0.0", PORT: String(port), WET_THREAD_PASSPHRASE: PASSPHRASE, WET_THREAD_TOKEN: "a-token", WET_THREAD_DATA: FOLDER };
  child = spawn("node", ["scripts/start.mjs"], {
    cwd: ROOT,
    env: { ...process.env, ...open, WET_THREAD_TLS_CERT: cert, WET_THREAD_TLS_KEY: key },
    stdio: ["ignore", "pipe", "inherit"],
  });
  await new Promise<void>((resolve, reject) => {
    child.stdout?.on("data", (d: Buffer) => String(d).includes("open https://") && resolve());
    child.once("exit", (code) => reject(new Error(`The start command ended with ${code}.`)));
  });
});
test.afterAll(async () => {
  const gone = new Promise((resolve) => child.once("exit", resolve));
  child.kill("SIGINT");
  await gone;
  fs.rmSync(home, { recursive: true, force: true });
});

test("a server that is open to the network lets nobody in without its passphrase, and is whole over https", { tag: "@alone" }, async ({
  browser,
}) => {
  // Programs: told how to sign in, by passphrase or token; files and events ask like everything else.
  for (const where of ["/api/projects", "/api/health", "/api/events", "/api/sources/x/file"]) {
    const { status, headers } = await ask(where);
    expect([where, status]).toEqual([where, 401]);
    expect(headers["www-authenticate"]).toMatch(/^Basic/);
  }
  expect((await ask("/api/projects", basic(PASSPHRASE))).status).toBe(200);
  expect((await ask("/api/projects", { authorization: "Bearer a-token" })).status).toBe(200);
  expect((await ask("/api/projects", { authorization: "Bearer no" })).status).toBe(401);
  // What a request says of where it came from counts only from a proxy that was named: guesses can't be spread over made-up addresses.
  const answers: number[] = [];
  for (let i = 0; i < 8; i++) answers.push((await ask("/api/projects", { ...basic("wrong"), "x-forwarded-for": `10.0.0.${i}` })).status);
  expect(answers.at(-1)).toBe(429);
  // Whichever way they come, they are counted together.
  const signIn = (passphrase: string) => ask("/api/sign-in", { "content-type": "application/json" }, "POST", JSON.stringify({ passphrase }));
  expect((await signIn("wrong")).status).toBe(429);

  const context = await browser.newContext({ ignoreHTTPSErrors: true });
  const page = await context.newPage();
  const broken: string[] = [];
  page.on("console", (m) => m.type() === "error" && /Content.Security/i.test(m.text()) && broken.push(m.text()));
  const { projects } = JSON.parse((await ask("/api/projects", { authorization: "Bearer a-token" })).body);
  await page.goto(`${at}/p/${projects[0].id}`);
  await expect(page).toHaveURL(/\/sign-in\?to=/);
  // A guess must wait by now; then it is told that it is wrong.
  await page.getByLabel("Passphrase").fill("guess");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.locator("#wrong")).toContainText(/Too many wrong guesses|not this server's passphrase/);
  await expect(async () => {
    await page.getByLabel("Passphrase").fill(PASSPHRASE);
    await page.getByRole("button", { name: "Sign in" }).click();
    await expect(page).not.toHaveURL(/sign-in/, { timeout: 4000 });
  }).toPass({ timeout: 80_000 });
  await expect(page.getByTestId("lanes")).toBeVisible({ timeout: 30_000 });
  expect(await page.evaluate(() => [window.isSecureContext, window.crossOriginIsolated])).toEqual([true, true]);
  const [cookie] = await context.cookies();
  expect(cookie).toMatchObject({ httpOnly: true, secure: true, sameSite: "Lax" });
  // A session that was ended is over, whoever kept its cookie.
  const kept = await signIn(PASSPHRASE);
  const session = { cookie: String(kept.headers["set-cookie"]).split(";")[0] };
  expect((await ask("/api/projects", session)).status).toBe(200);
  await ask("/api/sign-in", session, "DELETE");
  expect((await ask("/api/projects", session)).status).toBe(401);
  expect((await ask("/api/projects", { cookie: `${cookie.name}=${cookie.value}` })).status).toBe(200);
  await page.keyboard.press("Space");
  await expect(page.getByTestId("engine")).toHaveAttribute("data-engine", "on");
  await page.keyboard.press("Space");
  expect(broken).toEqual([]);
  // Signed out, the browser is asked again, and what it had opens nothing.
  await page.goto(at);
  await page.getByRole("button", { name: "Sign out" }).click();
  await expect(page).toHaveURL(/\/sign-in/);
  expect((await ask("/api/projects", { cookie: `${cookie.name}=${cookie.value}` })).status).toBe(401);
  await context.close();
});
