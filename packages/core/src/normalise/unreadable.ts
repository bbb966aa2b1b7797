import type { DecodeProblem } from "../base/bytes/index.js";
import { emptyContent, type FlowFacts, type RecordContent } from "../model/record/index.js";

const NO_FACTS: FlowFacts = {
  startUs: null,
  ingress: null,
  egress: null,
  tos: null,
  tcpFlags: null,
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
  samplingRate: 1,
  domain: 0,
  sequence: 0,
};

/** Bytes that could not be read, kept as a record with the reason. */
export function unreadable(
  kind: RecordContent["kind"],
  bytes: Uint8Array,
  receivedUs: number,
  problem: DecodeProblem,
): RecordContent {
  const content = emptyContent(kind, receivedUs, receivedUs);
  content.raw = bytes;
  // a flow is told by its facts, even where nothing is known of them
  if (kind === "flow") content.flow = NO_FACTS;
  content.marks = ["problem"];
  content.problem = problem;
  return content;
}
