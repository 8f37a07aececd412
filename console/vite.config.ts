import react from "@vitejs/plugin-react";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

const service = process.env.BANDEJO_SERVICE ?? "http://127.0.0.1:7410";

export default defineConfig({
  plugins: [react()],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  server: { proxy: { "/api": service } },
  build: { target: "es2023", outDir: process.env.BANDEJO_CONSOLE_OUT ?? "dist", emptyOutDir: true, assetsInlineLimit: 0, modulePreload: { polyfill: false } },
  test: { environment: "jsdom", include: ["src/**/*.test.{ts,tsx}"], setupFiles: ["src/test-setup.ts"] },
});
