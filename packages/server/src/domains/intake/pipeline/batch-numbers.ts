import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { writeDurably } from "../../../kernel/files/durable.js";

/** Numbers reserved at once: the file is written once for so many batches. */
const BLOCK = 1_000;

/**
 * Numbers of a collector's batches, strictly increasing over every restart, whether the database can be asked or not: a number taken
 * twice would have the later batch taken for stored. Which numbers may have been given out stands in a synced file; what the database knows
 * is added once it has been asked.
 */
export class BatchNumbers {
  private readonly file: string;
  private last: number;
  private reserved: number;

  /** @param nowMs where nothing is known of earlier numbers: more milliseconds have passed than there can have been batches */
  constructor(directory: string, lastSpooled: number, nowMs: number) {
    this.file = join(directory, "last-number");
    const kept = existsSync(this.file) ? Number(readFileSync(this.file, "utf8").trim() || Number.NaN) : Number.NaN;
    this.last = Math.max(Number.isSafeInteger(kept) && kept > 0 ? kept : nowMs, lastSpooled);
    this.reserved = this.last;
  }

  /** Numbers the database has. */
  atLeast(number: number): void {
    this.last = Math.max(this.last, number);
  }

  next(): number {
    const number = this.last + 1;
    if (number > this.reserved) {
      // without room for the file the numbers go on all the same: better a number twice after a crash than no batch at all
      try {
        writeDurably(this.file, `${number + BLOCK}\n`);
      } catch {}
      this.reserved = number + BLOCK;
    }
    this.last = number;
    return number;
  }
}
