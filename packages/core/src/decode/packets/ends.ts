import type { EpochUs } from "../../base/time/index.js";
import type { Observation } from "./observation.js";

/** Who speaks to whom in a packet. */
export interface Ends {
  readonly src: string;
  readonly dst: string;
  readonly srcPort: number;
  readonly dstPort: number;
}

/** The same conversation from the other side. */
export const turned = (e: Ends): Ends => ({ src: e.dst, dst: e.src, srcPort: e.dstPort, dstPort: e.srcPort });

export const wayOf = (e: Ends): string => `${e.src} ${e.srcPort} ${e.dst} ${e.dstPort}`;

/** Where observations go. */
export type Tell = (o: Observation) => void;

/** What a TCP connection carries, read as far as it tells something. */
export interface StreamContent {
  /** Nothing more of it is read. */
  readonly isOver: boolean;
  /** Octets that are held, roughly. */
  readonly held: number;
  /** Octets in order. @throws {DecodeError} when they are not what they were taken for */
  push(timeUs: EpochUs, fromClient: boolean, bytes: Uint8Array): void;
  /** Octets that never came. */
  miss(timeUs: EpochUs, fromClient: boolean, octets: number): void;
  /** The connection has ended. @param bothWays packets of either side were seen: else what is missing says nothing */
  end(timeUs: EpochUs, bothWays: boolean): void;
}
