import type { DecodeProblem } from "@halvik/core/base/bytes";
import type { Arrival } from "./arrival.js";

/** Counters of an endpoint since its role started; every way to lose or refuse something has one. */
export interface EndpointCounters {
  [name: string]: number;
}

export interface EndpointStatus {
  readonly name: string;
  readonly transport: "udp" | "tcp" | "tls" | "https" | "capture";
  readonly address: string;
  readonly port: number;
  readonly state: "listening" | "failed" | "stopped";
  readonly detail: string;
  readonly counters: Readonly<EndpointCounters>;
  /** SNMP communities nobody admitted. */
  readonly refused?: readonly RefusedCommunity[];
}

/** A community that was refused, by what it is known by. */
export interface RefusedCommunity {
  readonly digest: string;
  readonly mask: string;
  readonly peer: string;
  readonly count: number;
  readonly atUs: number;
}

/** A socket that hears records. `onLoss` is told of everything that was lost before it could be kept. */
export interface Endpoint {
  start(): Promise<void>;
  stop(): Promise<void>;
  /** Takes nothing more, and still answers what it has taken; for those that answer. */
  hush?(): void;
  status(): EndpointStatus;
  /** Looks for what the kernel dropped, where the transport lets that happen. */
  checkKernelDrops?(): Promise<void>;
}

export interface EndpointSink {
  take(arrival: Arrival): void;
  /** Whether a peer is a sender that somebody admitted. */
  isAdmitted(peer: string): boolean;
  /** Records wait for the database: those who can wait should. */
  readonly behind: boolean;
  /** Could not be read, before it became an arrival: kept among the last samples of what could not be read. */
  undecodable(arrival: Arrival, problem: DecodeProblem): void;
  /** Who may not send by this way in, or not this: kept among the same samples. */
  refused(arrival: Arrival, problem: DecodeProblem): void;
  lost(endpoint: string, reason: string, count: number): void;
}

/** Why a port cannot be had, in words, or null for other troubles. */
export function portTrouble(transport: string, port: number, code: string | undefined): string | null {
  if (code === "EADDRINUSE")
    return `${transport} port ${port} is taken by another program; choose another port for this endpoint on Intake, or by its setting`;
  if (code === "EACCES")
    return `${transport} port ${port} needs root: start Halvik again as root, or choose a port from 1024 on`;
  return null;
}
