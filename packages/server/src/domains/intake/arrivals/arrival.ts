import type { EpochUs } from "@halvik/core/base/time";

/** What arrivals hold. Spooled and held as the index: append only. */
export const PROTOCOLS = ["syslog", "snmp", "flow", "windows", "json", "columns", "packet"] as const;
export type Protocol = (typeof PROTOCOLS)[number];

/** Bytes as they came in, before anything is made of them: what batches, the spool and held records are made from. */
export interface Arrival {
  readonly protocol: Protocol;
  /** Name of the endpoint it came through. */
  readonly endpoint: string;
  /** Canonical address of the transport peer. */
  readonly peer: string;
  readonly receivedUs: EpochUs;
  readonly bytes: Uint8Array;
  /** A record of a sender that was waiting when it came. */
  readonly held: boolean;
  /** Less came than its sender announced, or than was kept: what it says may not be all. */
  readonly cut?: boolean;
  /** Read from a file that does not say when it arrived: its arrival teaches nothing about clock or cadence. */
  readonly unobserved?: boolean;
  /** SHA-256 in hex of what tells a repetition: who did not hear the answer sends it again, and it is not stored twice. */
  readonly requestKey?: string;
  /** Told once what became of it, and why: whoever waits for an answer (informs, HTTP) gets it then. Not kept on disk. */
  readonly settle?: (fate: Fate, reason?: string) => void;
}

/**
 * `stored` and `spooled` are durable; `held` too, for a sender that waits; `unreadable`: stored, as its bytes and the reason;
 * `quarantined`: on disk, and a person decides. `refused`: this sender is not to be heard; `capped`: it sends too fast.
 */
export type Fate = "stored" | "spooled" | "held" | "unreadable" | "quarantined" | "refused" | "capped" | "lost";

/** Whether what was sent need not be sent again. */
export const isKept = (fate: Fate): boolean => fate !== "refused" && fate !== "capped" && fate !== "lost";

/** Bytes an arrival takes in memory, roughly: the object, its view of the bytes, its numbers. */
export const arrivalBytes = (a: Arrival): number => a.bytes.length + 320;
