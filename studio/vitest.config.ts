import path from "node:path";
import { defineConfig } from "vitest/config";

export default defineConfig({
  resolve: { alias: { "@": path.resolve(import.meta.dirname) } },
  test: { include: ["**/*.test.{ts,tsx}"], environment: "happy-dom", passWithNoTests: false },
});
