import { appendFileSync, mkdirSync, renameSync, statSync } from "node:fs";
import { dirname } from "node:path";

const MAX_BYTES = 8 * 1024 * 1024;
/** `collector.log`, `collector.log.1` … */
const KEPT = 3;

/** A log that takes no more disk than it may, and that a full disk makes shorter, never anybody's end. */
export class LogFile {
  private bytes: number;

  constructor(readonly path: string) {
    mkdirSync(dirname(path), { recursive: true, mode: 0o700 });
    this.bytes = sizeOf(path);
  }

  write(text: Uint8Array): void {
    try {
      if (this.bytes > 0 && this.bytes + text.length > MAX_BYTES) this.rotate();
      appendFileSync(this.path, text, { mode: 0o600 });
      this.bytes += text.length;
    } catch {
      // no room, or no right: what was said is lost, and nothing else
    }
  }

  private rotate(): void {
    for (let n = KEPT; n > 0; n--) {
      const from = n === 1 ? this.path : `${this.path}.${n - 1}`;
      if (sizeOf(from) > 0) renameSync(from, `${this.path}.${n}`);
    }
    this.bytes = 0;
  }
}

function sizeOf(path: string): number {
  try {
    return statSync(path).size;
  } catch {
    return 0;
  }
}
