import type { Arrival } from "../../intake/arrivals/arrival.js";

/** A way to another collector. */
export interface Way {
  /**
   * Delivers all of these, in their order.
   * @throws {RefusedForGood} when the receiver will never take them; any other error: none or some have arrived, and all are tried again
   */
  deliver(arrivals: readonly Arrival[]): Promise<void>;
  close(): void;
}

/** The receiver understood and will never take it: trying again helps nobody. */
export class RefusedForGood extends Error {}

/** How long one attempt may take. */
export const DELIVER_MS = 20_000;

/** An address of the link alone, behind which machines keep what is theirs (RFC 3927, 4291 section 2.5.6). */
export const isLinkLocal = (address: string): boolean => /^169\.254\.|^fe[89ab][0-9a-f]:/i.test(address);
