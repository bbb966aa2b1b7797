import type { Logger } from "pino";
import type { Arrival, Fate } from "../arrivals/arrival.js";
import type { Counters } from "./counters.js";
import type { DecodedBatch } from "./decode-batch.js";

/** Tells arrivals that wait for it what became of them, once. */
export class Answers {
  private readonly answered = new WeakSet<Arrival>();

  constructor(
    private readonly counters: Counters,
    private readonly log: Logger,
  ) {}

  /** An answer that cannot be sent is counted: it is nobody else's trouble. */
  settle(arrivals: readonly Arrival[], fate: Fate, reason?: string): void {
    for (const a of arrivals) {
      if (a.settle === undefined || this.answered.has(a)) continue;
      this.answered.add(a);
      try {
        a.settle(fate, reason);
      } catch (e) {
        this.counters["answers not sent"]++;
        this.log.warn({ err: e }, "an answer could not be sent");
      }
    }
  }

  /** Of a batch that was stored: each arrival is stored, held, or refused. @param kept what was held for waiting senders */
  settleStored(arrivals: readonly Arrival[], decoded: DecodedBatch, kept: DecodedBatch["held"]): void {
    const waiting = arrivals.filter((a) => a.settle);
    if (waiting.length === 0) return;
    const held = new Set(kept.map((h) => h.arrival));
    const refused = new Set([...decoded.refusedArrivals, ...decoded.held.map((h) => h.arrival)]);
    for (const a of waiting) this.settle([a], held.has(a) ? "held" : refused.has(a) ? "refused" : "stored");
  }
}
