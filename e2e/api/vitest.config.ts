import { defineConfig } from "vitest/config";

export default defineConfig({
  test: { include: ["**/*.test.ts"], environment: "node", testTimeout: 120_000, hookTimeout: 120_000, fileParallelism: false },
});
