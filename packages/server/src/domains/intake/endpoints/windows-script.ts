import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { shippedDir } from "../../../kernel/files/shipped.js";

/** The name people keep it under. */
export const WINDOWS_SCRIPT = "send-events.ps1";

export const windowsScript = (): Buffer => readFileSync(join(shippedDir("windows"), WINDOWS_SCRIPT));

let hash: string | null = null;

/** SHA-256 in hex, to be compared where it was carried to. It ships with what runs, and does not change under it. */
export function windowsScriptHash(): string {
  hash ??= createHash("sha256").update(windowsScript()).digest("hex");
  return hash;
}
