import type { DecodeProblem } from "@halvik/core/base/bytes";
import type { Client } from "../../../kernel/db/pool.js";
import type { Arrival } from "../arrivals/arrival.js";
import type { Counters } from "./counters.js";
import type { Undecodable } from "./decoders.js";
import { keepUndecodable } from "./state-repository.js";

/** Samples of what could not be read, waiting to be kept; more are only counted. */
const MAX_SAMPLES = 200;
const SAMPLE_BYTES = 256;

export class UndecodableSamples {
  private samples: Undecodable[] = [];

  constructor(private readonly counters: Counters) {}

  add(arrival: Arrival, problem: DecodeProblem): void {
    this.counters.undecodable++;
    if (this.samples.length < MAX_SAMPLES)
      this.samples.push({
        arrival: { ...arrival, bytes: new Uint8Array(arrival.bytes.subarray(0, SAMPLE_BYTES)) },
        problem,
      });
  }

  take(undecodable: readonly Undecodable[]): void {
    for (const { arrival, problem } of undecodable) this.add(arrival, problem);
  }

  keep(client: Client): Promise<void> {
    return keepUndecodable(client, this.samples.splice(0));
  }
}
