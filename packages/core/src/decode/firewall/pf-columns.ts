import { canonicalAddress } from "../../base/net/index.js";
import { actionOf, emptyDecision, type FirewallDecision, portOf, wholeNumber } from "./decision.js";

/** Columns that all lines have: up to the version of IP. */
const COMMON = 9;
const V4 = { source: 18, destination: 19, protocol: 15, rest: 20 } as const;
const V6 = { source: 15, destination: 16, protocol: 13, rest: 17 } as const;
const TCP = 6;
const UDP = 17;

/** What a glance tells: most lines are none. */
export const mayBePfColumns = (text: string): boolean => text.includes(",in,") || text.includes(",out,");

/**
 * A line of pf's log as firewalls with a web interface write it, in columns by their place: rule, rule within, anchor, tracker, interface, reason, action, direction, version of IP;
 * then of IPv4 or IPv6, then of TCP or UDP (common practice; the places from memory).
 */
export function readPfColumns(text: string): FirewallDecision | null {
  const columns = text.split(",");
  const version = columns[COMMON - 1];
  const at = version === "4" ? V4 : version === "6" ? V6 : null;
  if (at === null || columns.length <= at.destination) return null;
  const [rule, , , tracker, name, reason, verdict, direction] = columns as [string, ...string[]];
  const action = actionOf(verdict ?? "");
  if (action === null || wholeNumber(rule) === null || (direction !== "in" && direction !== "out")) return null;
  const src = canonicalAddress(columns[at.source]!);
  const dst = canonicalAddress(columns[at.destination]!);
  if (src === null || dst === null) return null;
  const f = emptyDecision("pf");
  f.action = action;
  f.policy = `rule ${rule}`;
  if (direction === "in") f.inInterface = name ?? null;
  else f.outInterface = name ?? null;
  f.src = src;
  f.dst = dst;
  f.protocol = wholeNumber(columns[at.protocol] ?? "");
  f.packets = 1;
  if (f.protocol === TCP || f.protocol === UDP) {
    f.srcPort = portOf(columns[at.rest] ?? "");
    f.dstPort = portOf(columns[at.rest + 1] ?? "");
  }
  if (f.protocol === TCP && columns[at.rest + 3]) f.data.push(["tcp flags", columns[at.rest + 3]!]);
  if (tracker) f.data.push(["tracker", tracker]);
  if (reason && reason !== "match") f.data.push(["reason", reason]);
  return f;
}
