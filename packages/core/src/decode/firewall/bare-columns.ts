import { canonicalAddress } from "../../base/net/index.js";
import { actionOf, emptyDecision, type FirewallDecision, portOf, protocolOf, wholeNumber } from "./decision.js";

/** `2026-11-30 10:04:12 DROP TCP …`: what a glance tells. */
const BEGIN = /^\d{4}-\d\d-\d\d[ T]\d\d:\d\d:\d\d(?:\.\d{1,9})?[ \t,;]/;
export const mayBeBareColumns = (text: string): boolean => text.charCodeAt(4) === 45 && BEGIN.test(text);

const PARTED = /[ \t,;]/;
/** Columns that count: time, verdict, protocol, ends, ports, size. */
const FEWEST = 8;
const MOST_COLUMNS = 40;

/**
 * A row of a host firewall's log as it comes without its header, line by line, by the order in which the header has the columns where it is shipped along: date, time,
 * verdict, protocol, source, destination, their ports, size, flags of TCP (W3C Extended Log File Format for the form; the order: common practice, no source).
 */
export function readBareColumns(text: string): FirewallDecision | null {
  const separator = PARTED.exec(text.slice(19))?.[0];
  if (separator === undefined) return null;
  // the date is parted from the time by a blank or a T, whatever parts the rest
  const [date, ...rest] = [text.slice(0, 19), ...text.slice(19).split(separator, MOST_COLUMNS).slice(1)];
  if (rest.length < FEWEST - 2) return null;
  const [verdict, protocol, from, to, srcPort, dstPort, size, flags] = rest.map((v) => v.trim());
  const action = actionOf(verdict ?? "");
  const src = canonicalAddress(from ?? "");
  const dst = canonicalAddress(to ?? "");
  if (action === null || src === null || dst === null) return null;
  const f = emptyDecision("columns");
  f.at = date!;
  f.action = action;
  f.protocol = protocolOf(protocol ?? "");
  f.src = src;
  f.dst = dst;
  f.srcPort = portOf(srcPort ?? "");
  f.dstPort = portOf(dstPort ?? "");
  f.bytes = wholeNumber(size ?? "");
  if (flags !== undefined && /^[A-Z]{1,9}$/.test(flags)) f.data.push(["tcp flags", flags]);
  const direction = rest[rest.length - 1]?.trim();
  if (direction === "SEND" || direction === "RECEIVE") f.data.push(["direction", direction.toLowerCase()]);
  return f;
}
