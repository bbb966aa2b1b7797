import type { Client } from "../../../kernel/db/pool.js";
import type { SenderRegistry } from "../senders/registry.js";
import type { Counters } from "./counters.js";
import type { DecodedBatch } from "./decode-batch.js";
import { countHeld, expireHeld, HELD_IN_ALL, HELD_PER_SENDER } from "./held-repository.js";

/** How much is held for senders that nobody has admitted yet (`docs/semantics.md` 9). */
export class HeldRoom {
  private counts = new Map<number, number>();

  constructor(
    private readonly registry: SenderRegistry,
    private readonly counters: Counters,
  ) {}

  async refresh(client: Client): Promise<void> {
    this.counts = await countHeld(client);
  }

  /** Forgets what has been held for too long, or for who was refused since: there is room for what they and others send now. */
  async forgetOld(client: Client, nowUs: number): Promise<void> {
    await expireHeld(client, nowUs);
    // counted even if there was nothing: another collector may have forgotten it
    if (this.counts.size > 0) await this.refresh(client);
  }

  /** What there is room to hold of what waiting senders sent. */
  within(decoded: DecodedBatch): DecodedBatch["held"] {
    let inAll = [...this.counts.values()].reduce((a, b) => a + b, 0);
    const fresh = new Map<number, number>();
    return decoded.held.filter(({ sender }) => {
      const own = fresh.get(sender) ?? 0;
      if ((this.counts.get(sender) ?? 0) + own >= HELD_PER_SENDER || inAll >= HELD_IN_ALL) return false;
      fresh.set(sender, own + 1);
      inAll++;
      return true;
    });
  }

  /** Counts what was held, and what was not for want of room. */
  count(decoded: DecodedBatch, kept: DecodedBatch["held"]): void {
    const isKept = new Set(kept);
    this.counters.held += kept.length;
    this.counters["held: refused, too many"] += decoded.held.length - kept.length;
    for (const one of decoded.held) {
      if (isKept.has(one)) this.counts.set(one.sender, (this.counts.get(one.sender) ?? 0) + 1);
      const live = this.registry.get(one.sender);
      if (live === undefined) continue;
      live.touched = true;
      // who goes on sending keeps its place among those who wait, whether there is room for what it sends or not
      live.lastHeardUs = Math.max(live.lastHeardUs ?? 0, one.arrival.receivedUs);
      if (isKept.has(one)) live.fresh.held++;
      else live.fresh.heldRefused++;
    }
  }
}
