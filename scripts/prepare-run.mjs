// Jest's way in and out: a place where the first test that wants a database leaves one for all others.
import { chmodSync, mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

export default function prepareRun() {
  const place = mkdtempSync(join(tmpdir(), "halvik-prepared-"));
  // the database's own user comes through it
  chmodSync(place, 0o711);
  process.env.HALVIK_TEST_PREPARED = place;
}
