import { US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import { type Episode, type Rule, ruleWindowUs, severityOf } from "@halvik/core/detect";
import type { FindingRow } from "./findings-repository.js";

/** A finding that this engine knows. */
export interface Known extends FindingRow {
  /** Since when. */
  readonly sinceUs: number;
  /** When it was last written, and what it said then that people are told of; null: not since this engine began. */
  written: { readonly atUs: number; readonly severity: number; readonly entities: number } | null;
}

export const writtenNow = (rule: Rule, e: Episode, nowUs: number): NonNullable<Known["written"]> => ({
  atUs: nowUs,
  severity: severityOf(rule, e),
  entities: e.entities.length,
});

/** A storm changes a row so often, not every batch; and less often the longer it goes on with nothing new about it but how much it is. */
const [REWRITE_AFTER_US, REWRITE_AT_LAST_US] = [2 * US_PER_SECOND, 10 * US_PER_SECOND];
const OF_ITS_AGE = 1 / 20;

/** When the growth of a finding is to be written. */
export function growthDueUs({ sinceUs, written }: Known, rule: Rule, e: Episode, nowUs: number): number {
  // a clock that was set back says nothing of how long ago that was
  if (written === null || nowUs < written.atUs) return nowUs;
  const isNews = severityOf(rule, e) !== written.severity || e.entities.length !== written.entities;
  const waitsUs = isNews ? 0 : Math.min(REWRITE_AT_LAST_US, (nowUs - sinceUs) * OF_ITS_AGE);
  return written.atUs + Math.max(REWRITE_AFTER_US, waitsUs);
}

/** How many more than it is to hold it may, so that not every one that comes makes it look for the oldest. */
const SLACK = 1.1;

/** What was written so lately may be told of again: late records of it may wait for twelve minutes. */
const MAY_COME_AGAIN_US = 30 * US_PER_MINUTE;

/** The findings that what comes may belong to, by rule and key. Bounded: of those that are over the oldest are forgotten, as a restart does. */
export class KnownFindings {
  private readonly byKey = new Map<string, Known[]>();
  private size = 0;
  private room: number;

  constructor(private readonly most: number) {
    this.room = most * SLACK;
  }

  add(finding: Known): void {
    const key = keyOf(finding.ruleId, finding.key);
    const there = this.byKey.get(key);
    if (there === undefined) this.byKey.set(key, [finding]);
    else there.push(finding);
    if (++this.size > this.room) this.forgetOldest(finding.sinceUs);
  }

  /** What of a rule and key holds. */
  find(rule: Rule, key: string, holds: (finding: Known, windowUs: number) => boolean): Known | undefined {
    const windowUs = ruleWindowUs(rule);
    return this.byKey.get(keyOf(rule.id, key))?.find((f) => holds(f, windowUs));
  }

  private forgetOldest(nowUs: number): void {
    const over = [...this.byKey.values()].flat().filter((f) => f.clearedUs !== null && !wasWrittenLately(f, nowUs));
    over.sort((a, b) => a.lastUs - b.lastUs);
    const gone = new Set(over.slice(0, this.size - this.most));
    for (const key of new Set([...gone].map((f) => keyOf(f.ruleId, f.key)))) {
      const left = this.byKey.get(key)!.filter((f) => !gone.has(f));
      if (left.length === 0) this.byKey.delete(key);
      else this.byKey.set(key, left);
    }
    this.size -= gone.size;
    // where all of them last, none is looked for again at once
    this.room = Math.max(this.most, this.size) * SLACK;
  }
}

const wasWrittenLately = ({ written }: Known, nowUs: number): boolean =>
  written !== null && Math.abs(nowUs - written.atUs) < MAY_COME_AGAIN_US;

const keyOf = (ruleId: string, key: string): string => `${ruleId} ${key}`;
