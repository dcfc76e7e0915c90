import path from "node:path";
import type { NextConfig } from "next";
import { ISOLATION } from "./isolation";

const config: NextConfig = {
  // Where a build that is finished lies (scripts/lib/setup.mjs): a server goes on with its own while another is made.
  distDir: process.env.WET_THREAD_BUILD ?? ".next",
  reactStrictMode: true,
  poweredByHeader: false,
  devIndicators: false,
  transpilePackages: ["@wet-thread/core"],
  serverExternalPackages: ["pg", "graphile-worker"],
  allowedDevOrigins: ["127.0.0.1"],
  turbopack: { root: path.join(import.meta.dirname, "..") },
  headers: async () => [{ source: "/:path*", headers: ISOLATION }],
};

export default config;
