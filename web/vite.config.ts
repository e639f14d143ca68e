import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  base: "/static/",
  plugins: [react()],
  build: { assetsInlineLimit: 0, manifest: "manifest.json", modulePreload: { polyfill: false } },
});
