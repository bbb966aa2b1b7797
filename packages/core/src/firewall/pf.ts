import { canonicalAddress } from "../net/index.js";
import { actionOf, emptyDecision, type FirewallDecision, portOf, protocolOf } from "./decision.js";

/**
 * A line of pf's log as its reader prints it: `rule 12/0(match): block in on em0: 203.0.113.9.51234 > 192.0.2.1.22: Flags [S], …`
 * (format: common practice, no source). The port follows the last dot, for IPv6 too.
 */
export function readPf(text: string): FirewallDecision | null {
  const rule = text.indexOf("rule ");
  if (rule < 0) return null;
  const match = text.indexOf("): ", rule);
  if (match < 0 || match - rule > 60) return null;
  const colon = text.indexOf(": ", match + 3);
  if (colon < 0) return null;
  const words = text.slice(match + 3, colon).split(" ");
  const action = actionOf(words[0] ?? "");
  if (action === null || words[2] !== "on" || (words[1] !== "in" && words[1] !== "out")) return null;
  const arrow = text.indexOf(" > ", colon);
  if (arrow < 0) return null;
  const f = emptyDecision("pf");
  f.action = action;
  f.policy = text.slice(rule, match + 1);
  if (words[1] === "in") f.inInterface = words[3] ?? null;
  else f.outInterface = words[3] ?? null;
  const before = text.slice(colon + 2, arrow);
  const from = endpoint(before.slice(before.lastIndexOf(" ") + 1));
  // the other end stops at the colon that ends it: one followed by a space or the end
  const rest = text.slice(arrow + 3);
  const stop = /:(?: |$)/.exec(rest)?.index ?? rest.length;
  const to = endpoint(rest.slice(0, stop));
  if (from === null || to === null) return null;
  f.src = from.address;
  f.srcPort = from.port;
  f.dst = to.address;
  f.dstPort = to.port;
  const detail = rest.slice(stop);
  const verbose = /proto (\S+) \(\d+\)/.exec(before);
  f.protocol = verbose
    ? protocolOf(verbose[1]!)
    : detail.includes("Flags [")
      ? 6
      : detail.includes(" UDP,") || detail.includes(" udp ")
        ? 17
        : detail.includes("ICMP6")
          ? 58
          : detail.includes("ICMP")
            ? 1
            : null;
  const flags = /Flags \[([^\]]{1,12})\]/.exec(detail);
  if (flags) f.data.push(["tcp flags", flags[1]!]);
  f.packets = 1;
  return f;
}

function endpoint(text: string): { address: string; port: number | null } | null {
  const whole = canonicalAddress(text);
  if (whole !== null && !(text.includes(":") && text.includes("."))) return { address: whole, port: null };
  const dot = text.lastIndexOf(".");
  const address = dot < 0 ? null : canonicalAddress(text.slice(0, dot));
  return address === null ? null : { address, port: portOf(text.slice(dot + 1)) };
}
