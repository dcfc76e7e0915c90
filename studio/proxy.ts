import { type NextRequest, NextResponse } from "next/server";
import { admit, isOwnHost } from "./server/http/auth";

/**
 * Stands before every page (routes under /api check for themselves: a matcher that took them in would cut long uploads): it turns away
 * foreign names of this server, asks for the passphrase where there is one, and gives the page its security policy.
 */
export async function proxy(request: NextRequest): Promise<NextResponse> {
  const { pathname, search } = request.nextUrl;
  if (!isOwnHost(request.headers.get("host"))) return new NextResponse("This server answers on its loopback address only.", { status: 403 });
  // While the database is away it is not known who asks: the page is asked for again.
  const admitted = pathname === "/sign-in" ? { in: true } : await admit(request.headers).catch(() => null);
  if (!admitted)
    return new NextResponse("The database does not answer just now. What was saved is safe; this page asks again.", {
      status: 503,
      headers: { "retry-after": "1", refresh: "2", "content-type": "text/plain; charset=utf-8" },
    });
  if (!admitted.in) {
    const to = request.nextUrl.clone();
    to.pathname = "/sign-in";
    to.search = `?to=${encodeURIComponent(pathname + search)}`;
    return NextResponse.redirect(to);
  }
  const nonce = Buffer.from(crypto.getRandomValues(new Uint8Array(16))).toString("base64");
  const developing = process.env.NODE_ENV === "development" ? " 'unsafe-eval'" : "";
  const policy = [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic' 'wasm-unsafe-eval'${developing}`,
    "worker-src 'self' blob:",
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data: blob:",
    "font-src 'self' data:",
    "media-src 'self' blob:",
    "connect-src 'self'",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join("; ");
  const headers = new Headers(request.headers);
  headers.set("x-nonce", nonce);
  headers.set("content-security-policy", policy);
  const answer = NextResponse.next({ request: { headers } });
  answer.headers.set("content-security-policy", policy);
  return answer;
}

export const config = { matcher: ["/((?!api/|_next/|worklet/|favicon).*)"] };
