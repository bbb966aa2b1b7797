import { US_PER_DAY } from "@halvik/core/base/time";
import { NO_SITES, type Sites, sitesOf, TrafficSums } from "@halvik/core/traffic";
import type { Client } from "../../kernel/db/pool.js";
import { deriveSums } from "../traffic/derive-sums.js";
import { sumFlows } from "../traffic/sum-flows.js";
import { trafficSites } from "../traffic/traffic-sites.js";
import { firstOpen, type KeepTraffic } from "../traffic/write-sums.js";
import { GuardedTurn, type Turn } from "./guarded-turn.js";

/** Flows gather for so long before they are summed: rows of a busy step are touched once and not for every batch. */
const GATHER_MS = 5_000;
/** So long it sums what is behind before other work has its turn. */
const TURN_MS = 5_000;
/** Who has told of traffic since then is asked before any of it is summed. */
const SITES_US = 30 * US_PER_DAY;

/** Sums traffic as it is stored, in turns between other work. */
export class TrafficKeeping {
  private sites: Sites = NO_SITES;
  private sums = this.anew();
  private readonly guarded = new GuardedTurn(GATHER_MS, (reason) => ({
    event: "traffic-not-summed",
    severity: 3,
    outcome: "failure",
    subject: "keeper",
    text: `Flows could not be summed for Traffic and are tried again every minute; they are stored. The reason: ${reason}`,
  }));

  constructor(
    private readonly client: Client,
    private readonly keep: KeepTraffic,
  ) {}

  /**
   * One turn.
   * @param beat called between parts of the work, and within its transactions
   * @throws when the database cannot be used: that is everybody's trouble
   */
  turn(nowUs: () => number, beat: () => Promise<unknown>): Promise<Turn> {
    return this.guarded.take(
      async () => {
        const startedMs = performance.now();
        this.sites = sitesOf(await trafficSites(this.client, nowUs() - SITES_US, nowUs()));
        let isBehind = true;
        while (isBehind && performance.now() - startedMs < TURN_MS) {
          isBehind = await sumFlows(this.client, this.sums, this.keep, nowUs(), beat);
          await beat();
        }
        return isBehind || deriveSums(this.client, (level) => firstOpen(level, nowUs()));
      },
      // what it had gathered was not written, and is read again
      () => {
        this.sums = this.anew();
      },
    );
  }

  private anew(): TrafficSums {
    return new TrafficSums({
      ofExporter: (sender) => this.sites.ofExporter(sender),
      ofAddress: (address) => this.sites.ofAddress(address),
    });
  }
}
