import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import type { RecordKind } from "@halvik/core/model/record";
import type { Protocol } from "./arrival.js";

interface ProtocolFacts {
  /** The kind of record that its bytes are when nothing can be read of them. */
  readonly kind: RecordKind;
  /** A relay may pass it on: then the host it names is who sent it. Flows name their exporter themselves. */
  readonly isRelayed: boolean;
  /** The same may come twice by different relays. Flows and events carry numbers of their own. */
  readonly isCopied: boolean;
  /** For so long what is sent again is known again. Windows resends its logs for days where it was not heard. */
  readonly rememberedUs: number;
  /** About so many octets are one record; null: each arrival is. */
  readonly octetsARecord: number | null;
}

const SOON_US = 10 * US_PER_MINUTE;

/** What is known of each protocol by itself; one without this does not compile. */
export const PROTOCOL_FACTS: Readonly<Record<Protocol, ProtocolFacts>> = {
  syslog: { kind: "syslog", isRelayed: true, isCopied: true, rememberedUs: SOON_US, octetsARecord: null },
  snmp: { kind: "snmp", isRelayed: true, isCopied: false, rememberedUs: SOON_US, octetsARecord: null },
  flow: { kind: "flow", isRelayed: false, isCopied: false, rememberedUs: SOON_US, octetsARecord: 48 },
  windows: { kind: "windows", isRelayed: true, isCopied: false, rememberedUs: 7 * US_PER_DAY, octetsARecord: null },
  json: { kind: "json", isRelayed: true, isCopied: false, rememberedUs: SOON_US, octetsARecord: null },
  columns: { kind: "firewall", isRelayed: true, isCopied: false, rememberedUs: SOON_US, octetsARecord: null },
  packet: { kind: "packet", isRelayed: false, isCopied: false, rememberedUs: SOON_US, octetsARecord: null },
};
