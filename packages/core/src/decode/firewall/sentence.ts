import { canonicalAddress } from "../../base/net/index.js";
import { actionOf, emptyDecision, type FirewallDecision, portOf, protocolOf, wholeNumber } from "./decision.js";

/** Protocols that such lines name, as a glance looks for them: most lines are none. */
const PROTOCOLS = [" tcp ", " TCP ", " udp ", " UDP ", " icmp ", " ICMP "] as const;
export const mayBeSentence = (text: string): boolean => PROTOCOLS.some((p) => text.includes(p));

const VERDICT =
  /\b(accept(?:ed)?|allow(?:ed)?|pass(?:ed)?|permit(?:ted)?|den(?:y|ied)|drop(?:ped)?|block(?:ed)?|discard(?:ed)?|reject(?:ed)?)\b:? (?:inbound |outbound |in |out )?(tcp|udp|icmp|icmpv6|igmp|gre|esp|ah|sctp|ospf|pim)\b(?: connection| packet)?:? (?:from |src |source )?/gi;
/** One end: perhaps a zone or interface, an address, perhaps a port. */
const END = /(?:([A-Za-z][\w.-]{0,63})[:/])?(\[?[0-9A-Fa-f:.]{2,45}\]?)(?:[(/:](\d{1,5})\)?)?/y;
const BETWEEN = /,? ?(?:->|=>|>|to|dst|destination) ?(?:dst |to )?/iy;

/** What a pattern finds right at a place. */
function readAt(
  pattern: typeof END,
  text: string,
  at: number,
): { readonly groups: readonly string[]; readonly end: number } | null {
  pattern.lastIndex = at;
  const found = pattern.exec(text);
  return found === null ? null : { groups: found.slice(1), end: pattern.lastIndex };
}

/** What decided stands before the verdict: `list edge-in denied …`, `policy 7 permitted …`, `by access-group "edge-in"` behind it. */
const BEFORE = /\b(?:access-list|list|acl|policy|rule|filter) "?([\w.-]{1,64})"? ?:?$/i;
const BEHIND = /\bby (?:access-list|access-group|list|acl|policy|rule|filter) "?([\w.-]{1,64})"?/i;
const COUNT = /\b(\d{1,9}) packets?\b/;
/** `Built outbound TCP connection 8841 for outside:203.0.113.5/443 (…) to inside:10.0.0.1/51234 (…)`: what was let through begins. */
const BUILT = /\bBuilt (inbound|outbound) (TCP|UDP|ICMP) connection (\d{1,20}) for /;
/** The address that translation made of an end. */
const MAPPED = /(?: ?\([^()]{1,60}\)){0,2}/y;
/** A sentence that is one begins within so many characters. */
const MOST = 2_000;

/**
 * A decision told as a sentence, as routers and firewalls of several makers write it behind a code or without one:
 * `list edge-in denied tcp 203.0.113.9(51490) -> 198.51.100.4(22), 1 packet` (common practice, no source).
 */
export function readSentence(whole: string): FirewallDecision | null {
  const text = whole.length > MOST ? whole.slice(0, MOST) : whole;
  for (const begin of text.matchAll(VERDICT)) {
    const from = readAt(END, text, begin.index + begin[0].length);
    const between = from && readAt(BETWEEN, text, from.end);
    const to = between && readAt(END, text, between.end);
    const src = to && endOf(from!.groups);
    const dst = to && endOf(to.groups);
    if (src && dst) return decided(begin[1]!, begin[2]!, src, dst, text.slice(0, begin.index), text.slice(to.end));
  }
  return null;
}

/**
 * A connection that a firewall of state let begin. Its first end is the far one, whichever way it goes: of an outbound one it is whom it
 * goes to (common practice, no source).
 */
export function readBuilt(whole: string): FirewallDecision | null {
  const text = whole.length > MOST ? whole.slice(0, MOST) : whole;
  const begin = BUILT.exec(text);
  const far = begin && readAt(END, text, begin.index + begin[0].length);
  const mapped = far && readAt(MAPPED, text, far.end);
  const between = mapped && readAt(BETWEEN, text, mapped.end);
  const near = between && readAt(END, text, between.end);
  const [a, b] = [near && endOf(far!.groups), near && endOf(near.groups)];
  if (!a || !b) return null;
  const [src, dst] = begin![1] === "inbound" ? [a, b] : [b, a];
  const f = decided("accept", begin![2]!, src, dst, "", "");
  f.data.push(["connection", begin![3]!], ["direction", begin![1]!]);
  return f;
}

function decided(
  verdict: string,
  protocol: string,
  src: End,
  dst: End,
  before: string,
  behind: string,
): FirewallDecision {
  const f = emptyDecision("sentence");
  f.action = actionOf(verdict);
  f.protocol = protocolOf(protocol);
  [f.src, f.srcPort, f.srcZone] = src;
  [f.dst, f.dstPort, f.dstZone] = dst;
  f.policy = BEFORE.exec(before.trimEnd())?.[1] ?? BEHIND.exec(behind)?.[1] ?? null;
  const packets = COUNT.exec(behind)?.[1];
  if (packets !== undefined) f.packets = wholeNumber(packets);
  return f;
}

type End = readonly [address: string, port: number | null, zone: string | null];
const IPV4_PORT = /^([\d.]{7,15}):(\d{1,5})$/;

/** What stands at one end; null: no address. The first group of an IPv6 address looks like a zone, a port behind a colon like a part of the address. */
function endOf([zone, text, port]: readonly (string | undefined)[]): End | null {
  const bare = text!.replace(/^\[|\]$/g, "");
  const portBehind = IPV4_PORT.exec(bare);
  const address = canonicalAddress(portBehind?.[1] ?? bare);
  const behind = portBehind?.[2] ?? port;
  if (address !== null) return [address, behind === undefined ? null : portOf(behind), zone ?? null];
  const whole = zone === undefined ? null : canonicalAddress(`${zone}:${bare}`);
  return whole === null ? null : [whole, port === undefined ? null : portOf(port), null];
}
