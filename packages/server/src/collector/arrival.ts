import type { EpochUs } from "@halvik/core/time";

/** Bytes as they came in, before anything is made of them: what batches, the spool and held records are made from. */
export interface Arrival {
  /** Name of the endpoint it came through. */
  readonly endpoint: string;
  /** Canonical address of the transport peer. */
  readonly peer: string;
  readonly receivedUs: EpochUs;
  readonly bytes: Uint8Array;
  /** A record of a sender that was waiting when it came. */
  readonly held: boolean;
}

/** Bytes an arrival takes in memory, roughly. */
export const arrivalBytes = (a: Arrival): number => a.bytes.length + 120;
