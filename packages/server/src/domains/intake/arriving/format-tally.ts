import type { Formatted } from "@halvik/core/formats";
import type { RecordContent } from "@halvik/core/model/record";

/** A line that a format nearly fitted. */
export interface NearLine {
  readonly format: number;
  readonly atUs: number;
  readonly sender: number;
  readonly text: string;
  /** Where it went another way, and what was expected there. */
  readonly place: number;
  readonly expected: string;
}

const LINES_A_FORMAT = 3;

/** What formats read in a batch: noted with it, or not at all. */
export class FormatTally {
  readonly uses = new Map<number, { met: number; near: number }>();
  readonly lines: NearLine[] = [];

  add({ fits, near }: Pick<Formatted, "fits" | "near">, { receivedUs, text }: RecordContent, sender: number): void {
    if (fits !== null) this.use(fits).met++;
    for (const { id, miss } of near) {
      const use = this.use(id);
      use.near++;
      if (use.near <= LINES_A_FORMAT)
        this.lines.push({ format: id, atUs: receivedUs, sender, text, place: miss.at, expected: miss.expected });
    }
  }

  private use(id: number): { met: number; near: number } {
    let use = this.uses.get(id);
    if (use === undefined) {
      use = { met: 0, near: 0 };
      this.uses.set(id, use);
    }
    return use;
  }
}
