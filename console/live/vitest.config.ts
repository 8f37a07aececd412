import { defineConfig } from "vitest/config";

/** Against a service that runs: BANDEJO_SERVICE says where, BANDEJO_TOKEN as whom. */
export default defineConfig({ resolve: { alias: { "@": new URL("../src", import.meta.url).pathname } }, test: { environment: "node", include: ["live/**/*.test.ts"], root: new URL("..", import.meta.url).pathname } });
