import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { shippedDir } from "../../../kernel/files/shipped.js";

/** The name people keep it under. */
export const WINDOWS_SCRIPT = "send-events.ps1";

export const windowsScript = (): Buffer => readFileSync(join(shippedDir("windows"), WINDOWS_SCRIPT));

/** SHA-256 in hex, to be compared where it was carried to. */
export const windowsScriptHash = (): string => createHash("sha256").update(windowsScript()).digest("hex");
