// After the last test: what `prepare-run.mjs` made goes.
import { rmSync } from "node:fs";

export default function endRun() {
  rmSync(process.env.HALVIK_TEST_PREPARED, { recursive: true, force: true });
}
