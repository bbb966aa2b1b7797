import type { Device } from "./devices.js";
import { inside, OUTSIDE, STRANGERS, WEB_SERVER } from "./places.js";
import type { Random } from "./random.js";
import type { Said } from "./said.js";

const KERN = 0;
const LOCAL4 = 20;

/** What a firewall decided, before it is written in the firewall's own form. */
export interface Decision {
  readonly action: "accept" | "deny" | "reject";
  readonly src: string;
  readonly dst: string;
  readonly srcPort: number;
  readonly dstPort: number;
  readonly protocol: "tcp" | "udp";
  readonly policy: string;
}

/** Ordinary traffic at the edge: people go out, strangers knock, and the web server answers on 80 but not on 443. */
export function ordinaryDecision(r: Random): Decision {
  const srcPort = r.int(32_768, 60_999);
  if (r.chance(0.25)) {
    const plain = r.chance(0.7);
    return {
      action: plain ? "accept" : "reject",
      src: r.pick(OUTSIDE),
      dst: WEB_SERVER.outside,
      srcPort,
      dstPort: plain ? 80 : 443,
      protocol: "tcp",
      policy: plain ? "web-in" : "web-in-tls",
    };
  }
  if (r.chance(0.4))
    return {
      action: "deny",
      src: r.pick(STRANGERS),
      dst: WEB_SERVER.outside,
      srcPort,
      dstPort: r.pick([22, 23, 445, 3389, 5060, 8080]),
      protocol: "tcp",
      policy: `edge-in-${r.int(7, 9)}`,
    };
  const udp = r.chance(0.3);
  return {
    action: "accept",
    src: inside(r),
    dst: r.pick(OUTSIDE),
    srcPort,
    dstPort: udp ? r.pick([53, 123]) : r.pick([80, 443, 443, 993]),
    protocol: udp ? "udp" : "tcp",
    policy: `office-out-${r.int(1, 4)}`,
  };
}

const VERBS = { accept: "ACCEPT", deny: "DROP", reject: "REJECT" } as const;
const PF_VERBS = { accept: "pass", deny: "block", reject: "block" } as const;

/** The decision in the form of this device: the edge runs a Linux packet filter, Torvika pf, the rest write pairs. */
export function firewallSays(device: Device, r: Random, d: Decision): Said {
  if (device.name.startsWith("fw-edge"))
    return {
      facility: KERN,
      severity: d.action === "accept" ? 6 : 5,
      app: "kernel",
      text: `${VERBS[d.action]} ${d.policy}: IN=${d.action === "accept" && d.policy.startsWith("office") ? "lan0 OUT=wan0" : "wan0 OUT="} MAC=02:00:5e:00:00:01 SRC=${d.src} DST=${d.dst} LEN=${r.int(40, 1_400)} TOS=0x00 PREC=0x00 TTL=${r.int(48, 64)} ID=${r.int(1, 65_000)} DF PROTO=${d.protocol.toUpperCase()} SPT=${d.srcPort} DPT=${d.dstPort}${d.protocol === "tcp" ? " WINDOW=64240 RES=0x00 SYN URGP=0" : ""}`,
    };
  if (device.name === "fw-torvika")
    return {
      facility: LOCAL4,
      severity: d.action === "accept" ? 6 : 5,
      app: "pflog",
      text: `rule ${d.action === "accept" ? 3 : 12}/0(match): ${PF_VERBS[d.action]} in on em0: ${d.src}.${d.srcPort} > ${d.dst}.${d.dstPort}: ${d.protocol === "tcp" ? `Flags [S], seq ${r.int(1, 4_000_000)}, win 65535` : `UDP, length ${r.int(30, 400)}`}`,
    };
  return {
    facility: LOCAL4,
    severity: d.action === "accept" ? 6 : 5,
    app: "filter",
    text: `action=${d.action} policyid="${d.policy}" srcip=${d.src} srcport=${d.srcPort} dstip=${d.dst} dstport=${d.dstPort} proto=${d.protocol === "tcp" ? 6 : 17} srczone=${d.policy.startsWith("office") ? "quay" : "outside"} sentbyte=${r.int(60, 40_000)} rcvdbyte=${d.action === "accept" ? r.int(60, 900_000) : 0}`,
  };
}
