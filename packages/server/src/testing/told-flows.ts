import { emptyContent } from "@halvik/core/model/record";
import { sitesOf, TrafficSums } from "@halvik/core/traffic";
import { randomFrom } from "../../../core/src/testing/random.js";
import { nowUs } from "../kernel/clock.js";
import type { Queryable } from "../kernel/db/pool.js";

import type { BatchWriter } from "../store/batches.js";
import { sumFlows } from "../store/traffic/sum-flows.js";
import { trafficSites } from "../store/traffic/traffic-sites.js";
import type { TestStore } from "./test-store.js";

const S = 1e6;
const MIN = 60 * S;
const H = 60 * MIN;
const KEEP = { minute: 2, five: 60, hour: 730 };

/** A flow as an exporter told of it. */
export interface Told {
  readonly sender: number;
  readonly start: number | null;
  readonly end: number;
  readonly src: string;
  readonly dst: string;
  readonly port: number;
  readonly bytes: number;
  readonly ingress: number;
  readonly egress: number;
  readonly tos: number;
  readonly rate: number;
}

const PORTS = [443, 53, 22, 23_470, 445];
/** Flows of three exporters, of random lengths, that end within a time. */
export function reportedFlows(
  exporters: readonly number[],
  seed: number,
  count: number,
  fromUs: number,
  spanUs = 3 * H,
): Told[] {
  const next = randomFrom(seed);
  const below = (n: number) => Math.floor(next() * n);
  return Array.from({ length: count }, () => {
    const end = fromUs + below(spanUs / S) * S + below(S);
    const length = [0, 5, 60, 300, 1_800][below(5)]! * S;
    const inward = below(2) === 0;
    return {
      sender: exporters[below(exporters.length)]!,
      start: below(20) === 0 ? null : end - length,
      end,
      src: `10.1.${below(2)}.${below(30)}`,
      dst: `203.0.113.${below(20)}`,
      port: PORTS[below(PORTS.length)]!,
      bytes: below(2_000_000),
      ingress: inward ? 1 : 2,
      egress: inward ? 2 : 1,
      tos: [0, 184, 104][below(3)]!,
      rate: 1,
    };
  });
}

let conversations = 0;
/** Stores them as their exporters would. */
export async function keepFlows(
  store: TestStore,
  flows: readonly Told[],
  into: BatchWriter = store.writer,
): Promise<void> {
  const records = flows.map((f) => {
    const content = emptyContent("flow", f.end, f.end + S);
    Object.assign(content, {
      category: "traffic",
      src: f.src,
      dst: f.dst,
      // a conversation each, so that what is counted once can be added up by hand
      srcPort: 33_000 + (conversations++ % 30_000),
      dstPort: f.port,
      protocol: 6,
      bytes: f.bytes,
      packets: Math.ceil(f.bytes / 1_000),
      flow: {
        startUs: f.start,
        ingress: f.ingress,
        egress: f.egress,
        tos: f.tos,
        tcpFlags: 27,
        icmp: null,
        srcAs: null,
        dstAs: null,
        srcMask: null,
        dstMask: null,
        nextHop: null,
        vlan: null,
        direction: null,
        application: null,
        reverseBytes: null,
        reversePackets: null,
        samplingRate: f.rate,
        domain: 0,
        sequence: 0,
      },
    });
    return { sender: f.sender, content };
  });
  await store.put(records, into, "netflow");
}
/** Sums whatever is stored and not summed yet. */
export async function sumStored(db: Queryable): Promise<void> {
  const sites = sitesOf(await trafficSites(db, 0, nowUs()));
  const sums = new TrafficSums(sites);
  while (await sumFlows(db as never, sums, KEEP, nowUs()));
}
/** How much of a flow lies in [from, to), without any of our own arithmetic: by whole seconds. */
export const bytesWithin = (f: Told, from: number, to: number): number => {
  const start = f.start === null || f.start > f.end ? f.end : f.start;
  if (start === f.end) return f.end >= from && f.end < to ? f.bytes : 0;
  const overlap = Math.max(0, Math.min(f.end, to) - Math.max(start, from));
  return (f.bytes * overlap) / (f.end - start);
};
