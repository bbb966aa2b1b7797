import { type Arrival, arrivalBytes } from "../arrivals/arrival.js";
import { PROTOCOL_FACTS } from "../arrivals/protocols.js";

/** A batch waits at most this long for company. */
const WAIT_MS = 200;
export const BATCH_MAX_RECORDS = 5_000;
const MAX_BYTES = 4 * 1024 * 1024;

/** Gathers arrivals into batches: cut when they are many, heavy or old enough. */
export class BatchCutter {
  private arrivals: Arrival[] = [];
  private bytes = 0;
  private records = 0;
  private sinceMs = 0;

  get isEmpty(): boolean {
    return this.arrivals.length === 0;
  }

  /** The oldest has waited long enough. */
  get isDue(): boolean {
    return performance.now() - this.sinceMs >= WAIT_MS;
  }

  /** @returns whether what is gathered must be cut now */
  take(arrival: Arrival): boolean {
    if (this.isEmpty) this.sinceMs = performance.now();
    this.arrivals.push(arrival);
    this.bytes += arrivalBytes(arrival);
    // what a batch of flows will become is bounded too
    const { octetsARecord } = PROTOCOL_FACTS[arrival.protocol];
    this.records += octetsARecord === null ? 1 : arrival.bytes.length / octetsARecord;
    return this.records >= BATCH_MAX_RECORDS || this.bytes >= MAX_BYTES;
  }

  cut(): { readonly arrivals: readonly Arrival[]; readonly bytes: number } {
    const { arrivals, bytes } = this;
    this.arrivals = [];
    this.bytes = 0;
    this.records = 0;
    return { arrivals, bytes };
  }
}
