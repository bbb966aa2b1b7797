import type { ArrivalRules } from "@halvik/core/arrive";
import { looksLike } from "@halvik/core/assure";
import type { DecodeProblem } from "@halvik/core/base/bytes";
import { DecodeError, decodeUtf8 } from "@halvik/core/base/bytes";
import { DecisionColumns } from "@halvik/core/decode/firewall";
import { FlowDecoder, type InterfaceMeasure } from "@halvik/core/decode/flow";
import type { JsonMapping } from "@halvik/core/decode/json";
import { UsmUsers } from "@halvik/core/decode/snmp";
import type { ReadyFormat } from "@halvik/core/formats";
import { Meanings } from "@halvik/core/meaning";
import type { RecordContent } from "@halvik/core/model/record";
import {
  AccountIds,
  columnsRecord,
  fitContent,
  flowRecord,
  jsonRecord,
  packetRecord,
  snmpRecord,
  syslogRecord,
  unreadable,
  windowsRecord,
} from "@halvik/core/normalise";
import { nodeSnmpCrypto } from "../../../kernel/snmp-crypto.js";
import type { Arrival } from "../arrivals/arrival.js";
import { PROTOCOL_FACTS } from "../arrivals/protocols.js";
import type { LiveSender } from "../senders/registry.js";

/** What decoding needs to know besides the bytes; replaced whole when people change it. */
export interface DecodeSettings {
  readonly users: UsmUsers;
  readonly meanings: Meanings;
  /** JSON mappings by endpoint. */
  readonly mappings: ReadonlyMap<string, JsonMapping>;
  /** Files may be read long after they were written: how far behind arrival their own times may be. */
  readonly maxBehindUs?: number;
  /** What is decided before anything is stored, in its order. */
  readonly arrivalRules?: ArrivalRules | undefined;
  /** Formats that people made, in the order they are tried. */
  readonly formats?: readonly ReadyFormat[];
  /** Whether a module names an object identifier; absent where nobody counts those without a name. */
  readonly isNamed?: (oid: string) => boolean;
}

export const PLAIN_SETTINGS: DecodeSettings = {
  users: new UsmUsers([], nodeSnmpCrypto),
  meanings: new Meanings(),
  mappings: new Map(),
};

const MAX_UNNAMED = 2_000;

export interface DecodedContent {
  readonly content: RecordContent;
  /** The device's own time, for learning its clock; null: none, or no evidence. */
  readonly deviceUs: number | null;
}

/** Something that could not be read at all and is no record: counted, and the last ones kept to be looked at. */
export interface Undecodable {
  readonly arrival: Arrival;
  readonly problem: DecodeProblem;
}

/** Makes records of arrivals of every protocol. Flows have a memory; `begin`, `commit` and `rollback` keep it true to what was stored. */
export class Decoders {
  settings: DecodeSettings = PLAIN_SETTINGS;
  readonly flows = new FlowDecoder();
  undecodable: Undecodable[] = [];
  /** What came to an endpoint of syslog and is something else: stored all the same, and among the samples, which say where it is heard. */
  strays: Undecodable[] = [];
  /** Datagrams with a number of the exporter's, and what was missed before each by those numbers. */
  numbered: { readonly arrival: Arrival; readonly missed: number }[] = [];
  measures: { readonly sender: number; readonly timeUs: number; readonly measure: InterfaceMeasure }[] = [];
  /** The agent that the last sFlow datagram names; null: no such datagram since `begin`. */
  agent: string | null = null;
  private readonly accountIds = new AccountIds();
  private unnamed = new Map<string, { count: number; readonly sender: number }>();
  private columns: { readonly header: string; readonly columns: DecisionColumns | null } | null = null;
  counters = { "flow datagrams": 0, "sequence gaps": 0, "held for templates": 0 };

  begin(): void {
    this.flows.begin();
    this.undecodable = [];
    this.strays = [];
    this.numbered = [];
    this.measures = [];
    this.agent = null;
  }

  rollback(): void {
    this.flows.rollback();
  }

  /** Object identifiers that no module names, with how often each came since this was last asked. */
  takeUnnamed(): ReadonlyMap<string, { readonly count: number; readonly sender: number }> {
    const taken = this.unnamed;
    this.unnamed = new Map();
    return taken;
  }

  /**
   * The records of one arrival: one for most, many for flows, none for what is no record; each fits the store. Whatever a decoder throws
   * becomes one record of the bytes with the reason: nothing that arrives can end the batch it is in.
   */
  decode(arrival: Arrival, sender: LiveSender): DecodedContent[] {
    try {
      const decoded = this.decodeAs(arrival, sender);
      for (let i = 0; i < decoded.length; i++) {
        const { content: whole, deviceUs } = decoded[i]!;
        const content = arrival.cut && whole.problem === null ? cutContent(whole, arrival.bytes.length) : whole;
        const fit = fitContent(content, arrival.bytes);
        if (fit !== whole) decoded[i] = { content: fit, deviceUs };
      }
      return decoded;
    } catch (e) {
      const message = `${arrival.protocol}: ${e instanceof Error ? e.message : String(e)}`.slice(0, 300);
      const problem = { code: "DECODER_FAILED" as const, offset: 0, message };
      const { receivedUs, bytes } = arrival;
      return [
        {
          content: fitContent(unreadable(PROTOCOL_FACTS[arrival.protocol].kind, bytes, receivedUs, problem), bytes),
          deviceUs: null,
        },
      ];
    }
  }

  private decodeAs(arrival: Arrival, sender: LiveSender): DecodedContent[] {
    const { receivedUs, bytes } = arrival;
    const clockOffsetUs = arrival.unobserved ? 0 : sender.clock.appliedUs;
    const { meanings, users, maxBehindUs } = this.settings;
    switch (arrival.protocol) {
      case "syslog": {
        const { content, message } = syslogRecord(bytes, {
          receivedUs,
          zone: sender.facts.zone,
          clockOffsetUs,
          meanings,
          maxBehindUs,
        });
        const problem = strayProblem(bytes);
        if (problem === null) return [{ content, deviceUs: message.deviceUs }];
        this.strays.push({ arrival, problem });
        return [{ content: withProblem(content, problem), deviceUs: message.deviceUs }];
      }
      case "snmp": {
        const content = snmpRecord(bytes, { receivedUs, users, meanings });
        if (this.settings.isNamed) this.countUnnamed(content, sender.facts.id, this.settings.isNamed);
        return [{ content, deviceUs: null }];
      }
      case "windows":
        return [
          windowsRecord(bytes, {
            receivedUs,
            clockOffsetUs,
            meanings,
            maxBehindUs,
            accounts: { sender: sender.facts.id, ids: this.accountIds },
          }),
        ];
      case "json": {
        const mapping = this.settings.mappings.get(arrival.endpoint) ?? null;
        return [jsonRecord(bytes, { receivedUs, clockOffsetUs, mapping, meanings, maxBehindUs })];
      }
      case "columns":
        return [{ content: this.decodeRow(arrival, sender.facts.zone), deviceUs: null }];
      case "packet":
        return [{ content: packetRecord(bytes, { receivedUs, clockOffsetUs, maxBehindUs }), deviceUs: null }];
      case "flow":
        return this.decodeFlow(arrival, sender, clockOffsetUs);
    }
  }

  private countUnnamed(content: RecordContent, sender: number, isNamed: (oid: string) => boolean): void {
    const count = (oid: string) => {
      const known = this.unnamed.get(oid);
      if (known) known.count++;
      else if (this.unnamed.size < MAX_UNNAMED) this.unnamed.set(oid, { count: 1, sender });
    };
    if (content.event !== null && !isNamed(content.event)) count(content.event);
    // without its last arc, which is mostly the instance
    for (const [name] of content.data)
      if (/^\d/.test(name) && !isNamed(name)) count(name.slice(0, name.lastIndexOf(".")));
  }

  /** A row below its header: the header decides what the columns are. */
  private decodeRow({ bytes, receivedUs }: Arrival, zone: string): RecordContent {
    const text = decodeUtf8(bytes).text;
    const end = text.indexOf("\n");
    const header = text.slice(0, end);
    const row = text.slice(end + 1);
    if (this.columns?.header !== header) this.columns = { header, columns: DecisionColumns.fromHeader(header) };
    try {
      const decision = this.columns.columns?.row(row);
      if (!decision) throw new DecodeError("BAD_COLUMNS", 0, "columns: expected a header with both ends and a verdict");
      return columnsRecord(decision, row, { receivedUs, zone, ...this.settings });
    } catch (e) {
      if (!(e instanceof DecodeError)) throw e;
      const problem = { code: e.code, offset: e.offset, message: e.message };
      return { ...unreadable("firewall", Buffer.from(row), receivedUs, problem), raw: null, text: row };
    }
  }

  private decodeFlow(arrival: Arrival, sender: LiveSender, clockOffsetUs: number): DecodedContent[] {
    try {
      const d = this.flows.decode(arrival.bytes, arrival.peer, arrival.receivedUs);
      this.counters["flow datagrams"]++;
      this.agent = d.agent;
      this.counters["sequence gaps"] += d.missed;
      this.numbered.push({ arrival, missed: d.missed });
      this.counters["held for templates"] += d.held;
      for (const problem of d.problems) this.undecodable.push({ arrival, problem });
      for (const measure of d.measures)
        this.measures.push({ sender: sender.facts.id, timeUs: arrival.receivedUs, measure });
      const { maxBehindUs } = this.settings;
      const { domain, sequence } = d;
      const out: DecodedContent[] = [];
      for (const { receivedUs, records } of [{ receivedUs: arrival.receivedUs, records: d.records }, ...d.released]) {
        const context = { receivedUs, clockOffsetUs, domain, sequence, maxBehindUs };
        for (const f of records) out.push({ content: flowRecord(f, context), deviceUs: null });
      }
      return out;
    } catch (e) {
      if (!(e instanceof DecodeError)) throw e;
      this.undecodable.push({ arrival, problem: { code: e.code, offset: e.offset, message: e.message } });
      return [];
    }
  }
}

/** A message of which the end is not there: it says so, since what it says may not be all. */
function cutContent(content: RecordContent, bytes: number): RecordContent {
  const message = `message: it was cut after ${bytes} bytes, since the connection ended inside it or it is longer than is kept`;
  return withProblem(content, { code: "TRUNCATED", offset: bytes, message });
}

const withProblem = (content: RecordContent, problem: DecodeProblem): RecordContent => ({
  ...content,
  problem,
  marks: [...content.marks.filter((m) => m !== "problem"), "problem"],
});

/** What messages of other protocols begin with: NetFlow, IPFIX and sFlow, TLS, gzip, SNMP, HTTP. Of lines few do, and are looked at no further. */
const STRAYS_BEGIN = new Set([0x00, 0x16, 0x1f, 0x30, ...Buffer.from("GPHO")]);

/** What is wrong with a message to an endpoint of syslog that is plainly of another protocol; null: nothing, text of any form is welcome. */
function strayProblem(bytes: Uint8Array): DecodeProblem | null {
  if (!STRAYS_BEGIN.has(bytes[0]!)) return null;
  const likeness = looksLike(bytes);
  if (likeness === null || likeness.isLine) return null;
  return { code: "NOT_SYSLOG", offset: 0, message: `syslog: it looks like ${likeness.what}` };
}
