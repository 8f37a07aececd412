import { defineConfig } from "vitest/config";

/** Against a service that runs: BANDEJO_SERVICE says where, BANDEJO_TOKEN as whom. */
export default defineConfig({ test: { environment: "node", include: ["live/**/*.test.ts"], root: new URL("..", import.meta.url).pathname } });
