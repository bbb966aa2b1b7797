/** Kinds of record. Stored as the index: append only. `halvik` is what Halvik says about itself, `packet` what packets say: a question and its answer, a request. */
export const KINDS = ["syslog", "snmp", "windows", "firewall", "flow", "json", "halvik", "packet"] as const;
export type RecordKind = (typeof KINDS)[number];

export interface KindFacts {
  /** The two letters that stand for it on screen. */
  readonly mark: string;
  /** It tells of traffic between two ends, which has a name. */
  readonly hasTraffic: boolean;
  /** The registered UDP port its messages are sent to (RFC 5426, RFC 3417); null: it comes otherwise. */
  readonly port: number | null;
}

/** What is known of each kind by itself; a kind without this does not compile. */
export const RECORD_KINDS: Readonly<Record<RecordKind, KindFacts>> = {
  syslog: { mark: "SY", hasTraffic: false, port: 514 },
  snmp: { mark: "SN", hasTraffic: false, port: 162 },
  windows: { mark: "WE", hasTraffic: false, port: null },
  firewall: { mark: "FW", hasTraffic: true, port: null },
  flow: { mark: "FL", hasTraffic: true, port: null },
  json: { mark: "JS", hasTraffic: false, port: null },
  halvik: { mark: "HV", hasTraffic: false, port: null },
  packet: { mark: "PK", hasTraffic: false, port: null },
};

export const TRAFFIC_KINDS: readonly RecordKind[] = KINDS.filter((k) => RECORD_KINDS[k].hasTraffic);
