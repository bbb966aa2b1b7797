import { canonicalAddress } from "../../base/net/index.js";
import { addCounts, readCount } from "../../model/record/index.js";
import { actionOf, type FirewallDecision, portOf, protocolOf, wholeNumber } from "./decision.js";

type Setter = (f: FirewallDecision, value: string) => boolean;

const address =
  (name: "src" | "dst" | "natSrc" | "natDst"): Setter =>
  (f, value) => {
    f[name] ??= canonicalAddress(value);
    return true;
  };
const port =
  (name: "srcPort" | "dstPort" | "natSrcPort" | "natDstPort"): Setter =>
  (f, value) => {
    f[name] ??= portOf(value);
    return true;
  };
const textual =
  (name: "policy" | "inInterface" | "outInterface" | "srcZone" | "dstZone" | "user"): Setter =>
  (f, value) => {
    f[name] ??= value;
    return true;
  };
const counted =
  (name: "bytes" | "packets"): Setter =>
  (f, value) => {
    const n = readCount(value);
    // sent and received are given apart by many
    if (n !== null) f[name] = addCounts(f[name] ?? 0, n);
    return true;
  };
const seconds =
  (name: "startUs" | "endUs"): Setter =>
  (f, value) => {
    const n = wholeNumber(value);
    if (n === null || n > 9_000_000_000) return false;
    f[name] = n * 1_000_000;
    return true;
  };
const action: Setter = (f, value) => {
  const verdict = actionOf(value);
  if (verdict === null) return false;
  f.action ??= verdict;
  return true;
};

const protocol: Setter = (f, value) => {
  f.protocol ??= protocolOf(value);
  return f.protocol !== null;
};

/** Names of columns and keys as firewalls and cloud networks write them (common practice, no source); compared folded. */
const SETTERS: ReadonlyMap<string, Setter> = new Map<string, Setter>(
  (
    [
      [address("src"), "src", "srcip", "src_ip", "srcaddr", "source", "source_ip", "sourceip", "source_address"],
      [
        address("dst"),
        "dst",
        "dstip",
        "dst_ip",
        "dstaddr",
        "destination",
        "dest_ip",
        "destination_ip",
        "destinationip",
        "destination_address",
      ],
      [port("srcPort"), "srcport", "src_port", "spt", "sport", "s_port", "source_port", "sourceport"],
      [
        port("dstPort"),
        "dstport",
        "dst_port",
        "dpt",
        "dport",
        "d_port",
        "dest_port",
        "destination_port",
        "destinationport",
        "service_port",
      ],
      [protocol, "proto", "protocol", "protocol_id", "ip_protocol", "transport"],
      [action, "action", "act", "verdict", "decision", "disposition"],
      [
        textual("policy"),
        "policy",
        "policyid",
        "policy_id",
        "policyname",
        "policy_name",
        "rule",
        "ruleid",
        "rule_id",
        "rulename",
        "rule_name",
      ],
      [textual("inInterface"), "in", "srcintf", "in_interface", "inbound_interface", "ingress", "interface-id", "inif"],
      [textual("outInterface"), "out", "dstintf", "out_interface", "outbound_interface", "egress", "outif"],
      [textual("srcZone"), "srczone", "src_zone", "from_zone", "source_zone", "source_zone_name", "fromzone"],
      [textual("dstZone"), "dstzone", "dst_zone", "to_zone", "destination_zone", "destination_zone_name", "tozone"],
      [textual("user"), "user", "srcuser", "src_user", "username", "usrname", "source_user"],
      [
        counted("bytes"),
        "bytes",
        "sentbyte",
        "rcvdbyte",
        "sent_bytes",
        "received_bytes",
        "bytes_sent",
        "bytes_received",
      ],
      [counted("packets"), "packets", "sentpkt", "rcvdpkt", "packets_sent", "packets_received"],
      [address("natSrc"), "natsrc", "nat_src", "transip", "nat_source_ip", "xlated_src", "natsrcip"],
      [address("natDst"), "natdst", "nat_dst", "nat_destination_ip", "xlated_dst", "natdstip"],
      [port("natSrcPort"), "natsport", "nat_src_port", "transport_port", "nat_source_port"],
      [port("natDstPort"), "natdport", "nat_dst_port", "nat_destination_port"],
      [seconds("startUs"), "start", "start_time"],
      [seconds("endUs"), "end", "end_time"],
    ] as const
  ).flatMap(([set, ...names]) => (names as readonly string[]).map((name) => [name, set] as const)),
);

/** Puts a named value where it belongs; what is not known by name, or does not fit, stays in `data`. */
export function setByName(f: FirewallDecision, name: string, value: string): void {
  const set =
    SETTERS.get(name) ?? SETTERS.get(name.toLowerCase()) ?? SETTERS.get(name.toLowerCase().replaceAll("-", "_"));
  if (set === undefined || !set(f, value)) f.data.push([name, value]);
}

/** Whether a name says one end of the connection. */
export const isEndName = (name: string): boolean => {
  const set = SETTERS.get(name.toLowerCase());
  return set !== undefined && (set === SETTERS.get("src") || set === SETTERS.get("dst"));
};

export const isActionName = (name: string): boolean => SETTERS.get(name.toLowerCase()) === action;
