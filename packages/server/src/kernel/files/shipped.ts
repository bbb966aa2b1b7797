import { existsSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

/** A directory that ships beside what was built: beside `src/` in development, beside `dist/` when built. @throws where it is missing */
export function shippedDir(name: "mibs" | "windows" | "linux"): string {
  for (let dir = dirname(fileURLToPath(import.meta.url)); dir !== dirname(dir); dir = dirname(dir))
    if (existsSync(join(dir, name))) return join(dir, name);
  throw new Error(`the directory ${name} that belongs to Halvik is missing`);
}
