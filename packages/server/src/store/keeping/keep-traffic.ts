import { US_PER_DAY } from "@halvik/core/base/time";
import type { OwnObservation } from "@halvik/core/normalise";
import { TrafficSums } from "@halvik/core/traffic";
import { failureOf } from "../../kernel/db/failure.js";
import type { Client } from "../../kernel/db/pool.js";
import { sharedSites, sumFlows } from "../traffic/sum-flows.js";
import type { KeepTraffic } from "../traffic/write-sums.js";

/** Flows gather for so long before they are summed: rows of a busy step are touched once and not for every batch. */
const GATHER_MS = 5_000;
/** So long it sums what is behind before other work has its turn. */
const TURN_MS = 5_000;
/** After a failure it is tried again after so long: other work must not wait for what cannot be summed. */
const AGAIN_MS = 60_000;
/** Who has told of traffic since then is asked before any of it is summed. */
const SITES_US = 30 * US_PER_DAY;

/** Sums traffic as it is stored, in turns between other work. */
export class TrafficKeeping {
  private sites: ReadonlyMap<number, string> = new Map();
  private sums = this.anew();
  private notBeforeMs = Number.NEGATIVE_INFINITY;
  private isFailing = false;

  constructor(
    private readonly client: Client,
    private readonly keep: KeepTraffic,
  ) {}

  /**
   * One turn.
   * @param beat called between parts of the work
   * @returns whether there is more to do, and what is to be told
   * @throws when the database cannot be used: that is everybody's trouble
   */
  async turn(nowUs: () => number, beat: () => Promise<void>): Promise<{ more: boolean; told: OwnObservation[] }> {
    const startedMs = performance.now();
    if (startedMs < this.notBeforeMs) return { more: false, told: [] };
    try {
      this.sites = await sharedSites(this.client, nowUs() - SITES_US);
      let isBehind = true;
      while (isBehind && performance.now() - startedMs < TURN_MS) {
        isBehind = await sumFlows(this.client, this.sums, this.keep, nowUs());
        await beat();
      }
      if (!isBehind) this.notBeforeMs = startedMs + GATHER_MS;
      this.isFailing = false;
      return { more: isBehind, told: [] };
    } catch (e) {
      const failure = failureOf(e);
      if (failure === "outage" || failure === "again") throw e;
      // what it had gathered was not written, and is read again
      this.sums = this.anew();
      this.notBeforeMs = performance.now() + AGAIN_MS;
      const told = this.isFailing ? [] : [notSummed(e)];
      this.isFailing = true;
      return { more: false, told };
    }
  }

  private anew(): TrafficSums {
    return new TrafficSums((sender) => this.sites.get(sender) ?? null);
  }
}

const notSummed = (e: unknown): OwnObservation => ({
  event: "traffic-not-summed",
  severity: 3,
  outcome: "failure",
  subject: "keeper",
  text: `Flows could not be summed for Traffic and are tried again every minute; they are stored. The reason: ${e instanceof Error ? e.message : String(e)}`,
});
