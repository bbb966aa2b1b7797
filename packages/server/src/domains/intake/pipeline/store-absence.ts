import { formatDuration } from "@halvik/core/base/time";
import { nowUs } from "../../../kernel/clock.js";
import type { OwnNotices } from "./own-notices.js";

/** Use of the spool shorter than this is not told: nothing was lost, and a busy database is no outage. */
const TOLD_AFTER_US = 2_000_000;

/** Since when the store does not answer, or not in time, and what was put to disk meanwhile. */
export class StoreAbsence {
  private sinceUs: number | null = null;
  /** It was not there at all, or gave no answer in time; else it was only slow. */
  private wasGone = false;
  private records = 0;

  constructor(
    private readonly collectorName: string,
    private readonly notices: OwnNotices,
  ) {}

  get lasts(): boolean {
    return this.sinceUs !== null;
  }

  /** It does not answer in time. */
  begin(): void {
    this.sinceUs ??= nowUs();
  }

  /** It is not there. */
  gone(): void {
    this.wasGone = true;
  }

  spooled(records: number): void {
    this.records += records;
  }

  /** All that was put to disk is stored: says how it was, where that is worth a word. */
  end(): void {
    if (this.sinceUs === null) return;
    const awayUs = nowUs() - this.sinceUs;
    if (this.records > 0 && awayUs > TOLD_AFTER_US) {
      const what = this.wasGone ? "did not answer" : "was slow to answer";
      this.notices.observe({
        // a store that is only slow is no outage: it is noted, and raises nothing
        event: this.wasGone ? "spool-in-use" : "store-slow",
        severity: this.wasGone ? 3 : 5,
        outcome: this.wasGone ? "failure" : "unknown",
        subject: this.collectorName,
        text: `The store ${what} for ${formatDuration(awayUs)}; ${this.records} records were kept on disk meanwhile and are stored now.`,
        data: [["records", String(this.records)]],
      });
    }
    this.sinceUs = null;
    this.wasGone = false;
    this.records = 0;
  }
}
