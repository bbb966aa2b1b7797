import type { Verdict } from "@halvik/core/arrive";
import type { HalvikRecord } from "@halvik/core/model/record";

/** How often a rule met a record of a batch, and what it dropped. */
export interface RuleUse {
  met: number;
  dropped: number;
  /** Octets of arrivals that were dropped. */
  bytes: number;
}

/** One that was dropped, to be looked at. */
export interface DroppedSample {
  readonly rule: number;
  readonly atUs: number;
  readonly sender: number;
  readonly text: string;
}

const SAMPLES_A_RULE = 3;

/** What rules of arrival did in a batch: noted with it, or not at all. */
export class ArrivalTally {
  readonly uses = new Map<number, RuleUse>();
  readonly samples: DroppedSample[] = [];
  dropped = 0;

  add({ met, droppedBy, record }: Verdict<HalvikRecord>, bytes: number): void {
    for (const rule of met) {
      let use = this.uses.get(rule);
      if (use === undefined) {
        use = { met: 0, dropped: 0, bytes: 0 };
        this.uses.set(rule, use);
      }
      use.met++;
      if (rule !== droppedBy) continue;
      this.dropped++;
      use.dropped++;
      use.bytes += bytes;
      if (use.dropped <= SAMPLES_A_RULE)
        this.samples.push({ rule, atUs: record.receivedUs, sender: record.sender, text: record.text });
    }
  }
}
