import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { target: "es2023", assetsInlineLimit: 0, modulePreload: { polyfill: false } },
  server: {
    port: 5173,
    proxy: { "/api": { target: "http://127.0.0.1:8480", ws: true } },
  },
  // One environment for all files, which leave nothing behind (see test_setup): making one for each takes longer than the tests.
  test: {
    environment: "jsdom",
    include: ["src/**/*.test.{ts,tsx}"],
    setupFiles: ["src/test_setup.ts"],
    isolate: false,
    testTimeout: 30_000,
  },
});
