import { defineConfig } from "vitest/config";

export default defineConfig({
  test: {
    include: ["tests/**/*.test.{ts,tsx}"],
    // A real DOM where a test asks for it: `@vitest-environment jsdom` at its head.
    environment: "node",
    globalSetup: ["tests/layouts.setup.ts"],
    pool: "threads",
    maxWorkers: 2,
    // A guard against what never ends, not a measure: other checks run beside these.
    testTimeout: 60_000,
    hookTimeout: 60_000,
  },
});
