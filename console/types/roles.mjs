// Who may do what, out of the API's own description, so that the console never keeps a list beside the service's.
import { readFileSync, writeFileSync } from "node:fs";

const here = new URL(".", import.meta.url);
const described = JSON.parse(readFileSync(new URL("../../docs/reference/openapi.json", here), "utf8"));
const rows = Object.entries(described.paths).flatMap(([path, operations]) =>
  Object.entries(operations).filter(([, operation]) => operation["x-roles"]).map(([method, operation]) => `  ${JSON.stringify(`${method.toUpperCase()} ${path}`)}: ${JSON.stringify(operation["x-roles"])},`));
writeFileSync(new URL("../src/api/roles.ts", here), `/** Generated from the API's description: which roles each operation takes. */\nexport const rolesOf = {\n${rows.join("\n")}\n} as const satisfies Record<string, readonly string[]>;\n\nexport type Operation = keyof typeof rolesOf;\n`);
