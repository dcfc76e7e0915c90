import { z } from "zod";
import { endSession, guessedRight, guessedWrong, isPassphrase, newSession, waitFor } from "@/server/http/auth";
import { ApiError } from "@/server/http/errors";
import { bodyOf, open } from "@/server/http/http";

const Given = z.object({ passphrase: z.string().max(1000) });

export const POST = open(async (request) => {
  const wait = waitFor(request.headers);
  if (wait > 0)
    throw new ApiError(429, "too-many-guesses", `Too many wrong guesses. Try again in ${Math.ceil(wait / 1000)} s.`, {
      wait: Math.ceil(wait / 1000),
    });
  const { passphrase } = await bodyOf(request, Given);
  if (!isPassphrase(passphrase)) {
    guessedWrong(request.headers);
    throw new ApiError(401, "wrong-passphrase", "That is not this server's passphrase.");
  }
  guessedRight(request.headers);
  const secure = request.headers.get("x-forwarded-proto") === "https";
  return new Response(JSON.stringify({ signedIn: true }), {
    headers: { "content-type": "application/json; charset=utf-8", "set-cookie": await newSession(secure) },
  });
});

export const DELETE = open(
  async ({ headers }) =>
    new Response(JSON.stringify({ signedIn: false }), {
      headers: { "content-type": "application/json; charset=utf-8", "set-cookie": await endSession(headers) },
    }),
);
