import path from "node:path";
import type { NextConfig } from "next";

/** Shared memory between page, engine worker and audio worklet needs cross-origin isolation on every path. */
const isolation = [
  { key: "Cross-Origin-Opener-Policy", value: "same-origin" },
  { key: "Cross-Origin-Embedder-Policy", value: "require-corp" },
  { key: "Cross-Origin-Resource-Policy", value: "same-origin" },
  { key: "X-Content-Type-Options", value: "nosniff" },
  { key: "Referrer-Policy", value: "no-referrer" },
];

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  devIndicators: false,
  transpilePackages: ["@wet-thread/core"],
  serverExternalPackages: ["pg", "graphile-worker"],
  allowedDevOrigins: ["127.0.0.1"],
  turbopack: { root: path.join(import.meta.dirname, "..") },
  headers: async () => [{ source: "/:path*", headers: isolation }],
};

export default config;
