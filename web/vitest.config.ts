import { defineConfig } from "vitest/config";

export default defineConfig({
  test: {
    include: ["tests/**/*.test.{ts,tsx}"],
    // A real DOM where a test asks for it: `@vitest-environment jsdom` at its head.
    environment: "node",
    globalSetup: ["tests/layouts.setup.ts"],
    // Where a DOM is asked for, what is drawn with comes in hundreds of files: loaded one by one for each test file, that was
    // most of the time. One is made of them.
    deps: {
      optimizer: {
        client: {
          enabled: true,
          include: [
            "@chakra-ui/react",
            "@tanstack/react-query",
            "@testing-library/react",
            "react",
            "react-dom",
            "react-dom/client",
            "react-router",
            "react/jsx-runtime",
          ],
        },
      },
    },
    pool: "threads",
    maxWorkers: 2,
    // A guard against what never ends, not a measure: other checks run beside these.
    testTimeout: 60_000,
    hookTimeout: 60_000,
  },
});
