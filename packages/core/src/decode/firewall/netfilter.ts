import { canonicalAddress, isIpv4 } from "../../base/net/index.js";
import { readCount } from "../../model/record/index.js";
import { actionOf, emptyDecision, type FirewallDecision, portOf, protocolOf } from "./decision.js";

/**
 * A line of the Linux packet filter's log target (`IN=… OUT=… SRC=… DST=… PROTO=…`; format: common practice, no source). The
 * verdict stands only in the prefix the administrator chose. An ICMP error quotes the packet it is about in brackets, and
 * LEN and ID occur for more than one header: the first of each is the packet's own.
 */
export function readNetfilter(text: string): FirewallDecision | null {
  const start = text.indexOf("IN=");
  if (start < 0 || (start > 0 && text.charCodeAt(start - 1) !== 32)) return null;
  const bracket = text.indexOf("[SRC=", start);
  const end = bracket < 0 ? text.length : bracket;
  const f = emptyDecision("netfilter");
  const seen = { length: false, flags: "" };
  // one walk over the characters: looking for each name by itself costs twice as much
  let from = start;
  let equals = -1;
  for (let i = start; i <= end; i++) {
    const c = i < end ? text.charCodeAt(i) : SPACE;
    if (c === EQUALS) {
      if (equals < 0) equals = i;
    } else if (c === SPACE) {
      if (equals > from && i > equals + 1) take(f, text, from, equals, i, seen);
      // flags stand alone; `ACK=…` is the acknowledgement number
      else if (equals < 0 && i - from === 3 && isFlag(text, from))
        seen.flags = seen.flags === "" ? text.slice(from, i) : `${seen.flags} ${text.slice(from, i)}`;
      from = i + 1;
      equals = -1;
    }
  }
  if (f.src === null || f.dst === null) return null;
  if (seen.flags !== "" && f.protocol === TCP) f.data.push(["tcp flags", seen.flags]);
  f.packets = 1;
  const prefix = text.slice(0, start).trim();
  f.policy = policyOf(stripUptime(prefix));
  f.action = verdict(prefix);
  return f;
}

const SPACE = 32;
const EQUALS = 61;
const TCP = 6;
const FLAGS = ["SYN", "ACK", "FIN", "RST", "PSH", "URG", "ECE", "CWR"];
const isFlag = (text: string, at: number): boolean => FLAGS.some((flag) => text.startsWith(flag, at));

/** Puts the value of one `NAME=value` where it belongs; names that say little are passed over without being cut out. */
function take(
  f: FirewallDecision,
  text: string,
  from: number,
  equals: number,
  end: number,
  seen: { length: boolean; flags: string },
): void {
  const is = (name: string) => equals - from === name.length && text.startsWith(name, from);
  const value = () => text.slice(equals + 1, end);
  switch (text.charCodeAt(from)) {
    case 83: // S
      if (is("SRC")) f.src = address(value());
      else if (is("SPT")) f.srcPort = portOf(value());
      break;
    case 68: // D
      if (is("DST")) f.dst = address(value());
      else if (is("DPT")) f.dstPort = portOf(value());
      break;
    case 73: // I
      if (is("IN")) f.inInterface = value();
      break;
    case 79: // O
      if (is("OUT")) f.outInterface = value();
      break;
    case 80: // P
      if (is("PROTO")) f.protocol = protocolOf(value());
      break;
    case 76: // L
      if (is("LEN") && !seen.length) {
        f.bytes = readCount(value());
        seen.length = true;
      }
      break;
    case 84: // T
      if (is("TTL")) f.data.push(["ttl", value()]);
      else if (is("TOS")) f.data.push(["tos", value()]);
      else if (is("TYPE")) f.data.push(["icmp type", value()]);
      break;
    case 67: // C
      if (is("CODE")) f.data.push(["icmp code", value()]);
      break;
    case 77: // M
      if (is("MAC")) f.data.push(["mac", value()]);
      else if (is("MARK")) f.data.push(["mark", value()]);
      break;
    case 85: // U
      if (is("UID")) f.data.push(["uid", value()]);
      break;
  }
}

const address = (value: string): string | null => (isIpv4(value) ? value : canonicalAddress(value));

/** `[12345.678901] FW-DROP: ` → `FW-DROP`. */
function stripUptime(prefix: string): string {
  const from = prefix.startsWith("[") ? prefix.indexOf("]") + 1 : 0;
  return prefix
    .slice(from)
    .trim()
    .replace(/[:\s]+$/, "");
}

/**
 * The policy's own name where the prefix is a verdict and a name with a space between; a prefix that holds together (`FW-DROP`) is the
 * name.
 */
function policyOf(prefix: string): string | null {
  const space = prefix.indexOf(" ");
  const named = space > 0 && actionOf(prefix.slice(0, space)) !== null ? prefix.slice(space + 1).trim() : prefix;
  return named === "" ? null : named;
}

function verdict(prefix: string): FirewallDecision["action"] {
  let from = -1;
  for (let i = 0; i <= prefix.length; i++) {
    const c = i < prefix.length ? prefix.charCodeAt(i) : 32;
    const letter = (c >= 65 && c <= 90) || (c >= 97 && c <= 122);
    if (letter && from < 0) from = i;
    else if (!letter && from >= 0) {
      const action = actionOf(prefix.slice(from, i));
      if (action) return action;
      from = -1;
    }
  }
  return null;
}
