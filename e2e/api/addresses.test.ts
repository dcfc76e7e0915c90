import http from "node:http";
import { describe, expect, it } from "vitest";
import { BASE } from "../client";

/** Asks without putting an address right first, as `fetch` would. */
const asked = (method: string, path: string): Promise<{ status: number; body: string }> =>
  new Promise((done, fail) => {
    const { hostname, port } = new URL(BASE);
    const request = http.request({ hostname, port, method, path }, (answer) => {
      let body = "";
      answer.on("data", (part) => {
        body += part;
      });
      answer.on("end", () => done({ status: answer.statusCode ?? 0, body }));
    });
    request.on("error", fail).end();
  });

describe("an address that holds no text", () => {
  const routes = ["/api/projects/", "/api/versions/", "/api/sources/", "/api/exports/", "/p/", "/"];
  it.each(["%ff%fe", "%ed%a0%80", "%", "%e2%82"])("%s is refused in words on every route", async (text) => {
    for (const route of routes) {
      const { status, body } = await asked("GET", `${route}${text}`);
      expect([route, status]).toEqual([route, 400]);
      expect(JSON.parse(body)).toMatchObject({ error: "malformed", message: expect.stringMatching(/can't be read/) });
    }
    expect((await asked("GET", `/api/projects?removed=${text}`)).status).toBe(400);
  });
  it("nor is there a method that hands back what was sent", async () => {
    expect(await asked("TRACE", "/api/health")).toMatchObject({ status: 405, body: expect.stringMatching(/no TRACE/) });
  });
});
