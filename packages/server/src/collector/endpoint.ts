import type { Arrival } from "./arrival.js";

/** Counters of an endpoint since its role started; every way to lose or refuse something has one. */
export interface EndpointCounters {
  [name: string]: number;
}

export interface EndpointStatus {
  readonly name: string;
  readonly transport: "udp" | "tcp";
  readonly address: string;
  readonly port: number;
  readonly state: "listening" | "failed" | "stopped";
  readonly detail: string;
  readonly counters: Readonly<EndpointCounters>;
}

/** A socket that hears records. `onLoss` is told of everything that was lost before it could be kept. */
export interface Endpoint {
  start(): Promise<void>;
  stop(): Promise<void>;
  status(): EndpointStatus;
}

export interface EndpointSink {
  take(arrival: Arrival): void;
  lost(endpoint: string, reason: string, count: number): void;
}
