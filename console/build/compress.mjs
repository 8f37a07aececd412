// Packs every text of the built console once, so that the service need not for each reader.
import { readFileSync, readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants } from "node:zlib";

const folder = process.argv[2] ?? "dist";
for (const name of readdirSync(folder, { recursive: true, encoding: "utf8" })) {
  if (/\.(js|css|svg|html)$/.test(name)) {
    const file = join(folder, name);
    writeFileSync(`${file}.br`, brotliCompressSync(readFileSync(file), { params: { [constants.BROTLI_PARAM_QUALITY]: 9 } }));
  }
}
