import type { DecodeProblem } from "../../base/bytes/index.js";
import type { EpochUs } from "../../base/time/index.js";
import type { Action, Count } from "../../model/record/index.js";

/** What a firewall decided about a packet or session, whatever wrote it. `null`: it did not say. */
export interface FirewallDecision {
  format: "netfilter" | "pf" | "key=value" | "columns" | "delimited" | "sentence";
  action: Action | null;
  policy: string | null;
  inInterface: string | null;
  outInterface: string | null;
  srcZone: string | null;
  dstZone: string | null;
  src: string | null;
  dst: string | null;
  srcPort: number | null;
  dstPort: number | null;
  protocol: number | null;
  bytes: Count | null;
  packets: Count | null;
  natSrc: string | null;
  natDst: string | null;
  natSrcPort: number | null;
  natDstPort: number | null;
  user: string | null;
  /** When, in its own words; a table's column of time. */
  at: string | null;
  startUs: EpochUs | null;
  endUs: EpochUs | null;
  /** Everything else it says, by its own names. */
  data: (readonly [name: string, value: string])[];
  /** What it says twice, and not alike. */
  problem: DecodeProblem | null;
}

export const emptyDecision = (format: FirewallDecision["format"]): FirewallDecision => ({
  format,
  action: null,
  policy: null,
  inInterface: null,
  outInterface: null,
  srcZone: null,
  dstZone: null,
  src: null,
  dst: null,
  srcPort: null,
  dstPort: null,
  protocol: null,
  bytes: null,
  packets: null,
  natSrc: null,
  natDst: null,
  natSrcPort: null,
  natDstPort: null,
  user: null,
  at: null,
  startUs: null,
  endUs: null,
  data: [],
  problem: null,
});

/** Words for what was decided (common practice, no source). */
const VERBS: Readonly<Record<string, Action>> = {
  accept: "accept",
  accepted: "accept",
  allow: "accept",
  allowed: "accept",
  pass: "accept",
  passed: "accept",
  permit: "accept",
  permitted: "accept",
  deny: "deny",
  denied: "deny",
  drop: "deny",
  dropped: "deny",
  block: "deny",
  blocked: "deny",
  discard: "deny",
  discarded: "deny",
  reject: "reject",
  rejected: "reject",
  reset: "reject",
};

/** A verdict word, in any case. */
export function actionOf(word: string): Action | null {
  const folded = word.toLowerCase();
  return Object.hasOwn(VERBS, folded) ? VERBS[folded]! : null;
}

/** Names of protocols as firewalls write them (IANA protocol numbers). */
const PROTOCOLS: Readonly<Record<string, number>> = {
  icmp: 1,
  igmp: 2,
  ipip: 4,
  tcp: 6,
  udp: 17,
  gre: 47,
  esp: 50,
  ah: 51,
  icmpv6: 58,
  "ipv6-icmp": 58,
  icmp6: 58,
  ospf: 89,
  pim: 103,
  vrrp: 112,
  sctp: 132,
};

export function protocolOf(text: string): number | null {
  const folded = text.toLowerCase();
  if (Object.hasOwn(PROTOCOLS, folded)) return PROTOCOLS[folded]!;
  const n = wholeNumber(text);
  return n !== null && n <= 255 ? n : null;
}

/** A whole number written in digits, up to 2^53, or null. */
export function wholeNumber(text: string): number | null {
  if (text.length === 0 || text.length > 16) return null;
  let value = 0;
  for (let i = 0; i < text.length; i++) {
    const d = text.charCodeAt(i) - 48;
    if (!(d >= 0 && d <= 9)) return null;
    value = value * 10 + d;
  }
  return Number.isSafeInteger(value) ? value : null;
}

export function portOf(text: string): number | null {
  const n = text.length <= 5 ? wholeNumber(text) : null;
  return n !== null && n <= 65_535 ? n : null;
}
