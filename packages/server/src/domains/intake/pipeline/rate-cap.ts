import { type EpochUs, US_PER_SECOND } from "@halvik/core/base/time";

/** A token bucket per peer, so that one device cannot starve the rest (`docs/semantics.md` 11). Holds two seconds' worth. */
export class RateCap {
  private readonly buckets = new Map<string, { tokens: number; atUs: EpochUs }>();

  constructor(private readonly perSecond: number) {}

  allows(peer: string, nowUs: EpochUs): boolean {
    const most = this.perSecond * 2;
    let bucket = this.buckets.get(peer);
    if (!bucket) {
      if (this.buckets.size > 100_000) this.buckets.clear();
      bucket = { tokens: most, atUs: nowUs };
      this.buckets.set(peer, bucket);
    }
    const gained = ((nowUs - bucket.atUs) / US_PER_SECOND) * this.perSecond;
    bucket.tokens = Math.min(most, bucket.tokens + Math.max(0, gained));
    bucket.atUs = nowUs;
    if (bucket.tokens < 1) return false;
    bucket.tokens -= 1;
    return true;
  }
}
