import { defineConfig } from "vitest/config";

// Two files side by side: much of the time a test waits for a server or a database of its own to start, to be killed, or to be taken over.
export default defineConfig({
  test: { include: ["**/*.test.ts"], environment: "node", testTimeout: 120_000, hookTimeout: 120_000, maxWorkers: 2 },
});
