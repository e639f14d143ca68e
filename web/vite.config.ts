import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  base: "/static/",
  plugins: [react()],
  build: {
    assetsInlineLimit: 0,
    manifest: "manifest.json",
    modulePreload: { polyfill: false },
    rolldownOptions: {
      input: { index: "index.html", "service-worker": "src/worker/service-worker.ts" },
      output: {
        // The server gives it out under one name, with the files of the release before it.
        entryFileNames: ({ name }) =>
          name === "service-worker" ? "service-worker.js" : "assets/[name]-[hash].js",
      },
    },
  },
});
