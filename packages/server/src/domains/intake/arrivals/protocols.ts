import type { RecordKind } from "@halvik/core/model/record";
import type { Protocol } from "./arrival.js";

interface ProtocolFacts {
  /** The kind of record that its bytes are when nothing can be read of them. */
  readonly kind: RecordKind;
  /** A relay may pass it on: then the host it names is who sent it. Flows name their exporter themselves. */
  readonly isRelayed: boolean;
  /** The same may come twice by different relays. Flows and events carry numbers of their own. */
  readonly isCopied: boolean;
  /** About so many octets are one record; null: each arrival is. */
  readonly octetsARecord: number | null;
}

/** What is known of each protocol by itself; one without this does not compile. */
export const PROTOCOL_FACTS: Readonly<Record<Protocol, ProtocolFacts>> = {
  syslog: { kind: "syslog", isRelayed: true, isCopied: true, octetsARecord: null },
  snmp: { kind: "snmp", isRelayed: true, isCopied: false, octetsARecord: null },
  flow: { kind: "flow", isRelayed: false, isCopied: false, octetsARecord: 48 },
  windows: { kind: "windows", isRelayed: true, isCopied: false, octetsARecord: null },
  json: { kind: "json", isRelayed: true, isCopied: false, octetsARecord: null },
  columns: { kind: "firewall", isRelayed: true, isCopied: false, octetsARecord: null },
  packet: { kind: "packet", isRelayed: false, isCopied: false, octetsARecord: null },
};
