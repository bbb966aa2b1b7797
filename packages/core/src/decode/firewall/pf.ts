import { canonicalAddress } from "../../base/net/index.js";
import { actionOf, emptyDecision, type FirewallDecision, portOf, protocolOf } from "./decision.js";

/** `rule NUMBER/REASON(match)`, perhaps with who opened the socket, before the colon. */
const RULE = /\brule (?<rule>\S{1,40}\([a-z-]{1,20}\))(?: \[[^\]]{0,60}\])?: /;

/** What stands after both ends when the packet's own protocol is not said in words: the first thing, since a tunnelled packet follows. */
const PROTOCOL_SIGNS = [
  [/^: (?:Flags \[|tcp )/, 6],
  [/^: (?:UDP,|\[?udp )/, 17],
  [/^: ICMP6/, 58],
  [/^: ICMP/, 1],
  [/^: GREv/, 47],
  [/^: ESP\(/, 50],
  [/^: AH\(/, 51],
  [/^: (?:IP6 |[\da-f:]{2,40} > )/, 41],
  [/^: (?:IP |[\d.]{7,21} > )/, 4],
] as const;

/**
 * A line of pf's log as its reader prints it: `rule 12/0(match): block in on em0: 203.0.113.9.51234 > 192.0.2.1.22: Flags [S], …`
 * (format: common practice, no source). The port follows the last dot, for IPv6 too.
 */
export function readPf(text: string): FirewallDecision | null {
  const rule = RULE.exec(text);
  if (rule === null) return null;
  const start = rule.index + rule[0].length;
  const colon = text.indexOf(": ", start);
  if (colon < 0) return null;
  const words = text.slice(start, colon).split(" ");
  const action = actionOf(words[0] ?? "");
  if (action === null || words[2] !== "on" || (words[1] !== "in" && words[1] !== "out")) return null;
  const arrow = text.indexOf(" > ", colon);
  if (arrow < 0) return null;
  const f = emptyDecision("pf");
  f.action = action;
  f.policy = `rule ${rule.groups!.rule!}`;
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
  f.protocol = verbose ? protocolOf(verbose[1]!) : (PROTOCOL_SIGNS.find(([sign]) => sign.test(detail))?.[1] ?? null);
  const flags = f.protocol === 6 ? /Flags \[([^\]]{1,12})\]/.exec(detail) : null;
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
