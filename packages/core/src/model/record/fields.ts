import { type Count, MAX_COUNT } from "./count.js";
import { KINDS } from "./kinds.js";
import { ACTIONS, CATEGORIES, FACILITIES, MARKS, OUTCOMES } from "./names.js";
import { CODE_POINTS, PROTOCOL_NUMBERS, SERVICE_PORTS } from "./number-names.js";
import type { HalvikRecord } from "./record.js";
import { SEVERITIES } from "./severity.js";

/**
 * The one field table. Filter types and completion, the SQL compiler, the in-memory evaluator, columns and docs read it.
 * A new field is one line here and one line in the store's column table.
 */
export type FieldType =
  | "text"
  | "exact"
  | "number"
  | "severity"
  | "choice"
  | "address"
  | "time"
  | "sender"
  | "port"
  | "shape";

/** A value of a field; a bigint is a count beyond 2^53. */
export type FieldValue = string | Count;

export interface Field {
  readonly name: string;
  readonly type: FieldType;
  /** What it holds, as a person says it. */
  readonly about: string;
  /** For type "choice": every value. */
  readonly choices?: readonly string[];
  /** For type "number": the unit family, so that "10 MB" can be read. */
  readonly unit?: "bytes" | "count";
  /** For type "number": the most it can be. */
  readonly most?: Count;
  /** Names that stand for numbers. */
  readonly numberNames?: Readonly<Record<string, number>>;
  /** What people may call it too, where they compare it with something; in small letters. */
  readonly aliases?: readonly string[];
  /** Its name is a common word of messages: it is the field only where it is compared. */
  readonly isCommonWord?: boolean;
  /** It is a named value of `data`: by which name. */
  readonly dataName?: string;
  /** Every value of a record: none when missing. */
  readonly get: (record: HalvikRecord, names: RecordNames) => readonly FieldValue[];
  /** The only value of a record, or null: there for fields of which a record has one at most, for whoever asks so often that lists cost too much. */
  readonly only?: (record: HalvikRecord, names: RecordNames) => FieldValue | null;
}

/** Names that a record does not hold itself and that are made when it is read. */
export interface RecordNames {
  /** What its traffic is called, or null. */
  application(record: HalvikRecord): string | null;
}

const none: readonly never[] = [];
const one = <T extends FieldValue>(value: T | null): readonly T[] => (value === null ? none : [value]);

/** How a field is read of which a record has one value at most. */
const single = <T extends FieldValue>(only: (record: HalvikRecord, names: RecordNames) => T | null) => ({
  only,
  get: (record: HalvikRecord, names: RecordNames): readonly T[] => one(only(record, names)),
});

/** Values of `data` by name; a name may carry a prefix before a space, as in structured data. */
export function dataValues(r: HalvikRecord, name: string): readonly string[] {
  const found: string[] = [];
  for (const [n, value] of r.data) if (n === name || n.endsWith(` ${name}`)) found.push(value);
  return found;
}

/** A field whose values are named ones of `data`. */
const named = <N extends string>(name: N, dataName: string, about: string) => ({
  name,
  type: "text" as const,
  about,
  dataName,
  get: (r: HalvikRecord) => dataValues(r, dataName),
});

const U32 = 0xffff_ffff;
const PORT = { type: "port", most: 65_535, numberNames: SERVICE_PORTS } as const;

export const FIELDS = [
  {
    name: "text",
    type: "text",
    about: "the message",
    aliases: ["message"],
    ...single((r) => r.text || null),
  },
  {
    name: "severity",
    type: "severity",
    about: "how urgent, on the common scale",
    choices: SEVERITIES,
    ...single((r) => r.severity),
  },
  {
    name: "sender",
    type: "sender",
    about: "the device that sent it, by name, group or site",
    ...single((r) => r.sender),
  },
  { name: "kind", type: "choice", about: "the kind of record", choices: KINDS, ...single((r) => r.kind) },
  {
    name: "host",
    type: "text",
    about: "the host name written in the record",
    aliases: ["hostname", "host name"],
    ...single((r) => r.host),
  },
  {
    name: "app",
    type: "text",
    about: "the application or tag; of Windows events the provider",
    aliases: ["provider", "program"],
    ...single((r) => r.app),
  },
  { name: "process", type: "exact", about: "the process id or name", ...single((r) => r.process) },
  {
    name: "event",
    type: "exact",
    about: "the message id, event id or object identifier",
    aliases: ["oid", "event id", "eventid"],
    ...single((r) => r.event),
  },
  {
    name: "facility",
    type: "choice",
    about: "the syslog facility",
    choices: FACILITIES,
    ...single((r) => (r.facility === null ? null : (FACILITIES[r.facility] ?? ""))),
  },
  { name: "category", type: "choice", about: "what it is about", choices: CATEGORIES, ...single((r) => r.category) },
  { name: "outcome", type: "choice", about: "how it ended", choices: OUTCOMES, ...single((r) => r.outcome) },
  {
    name: "action",
    type: "choice",
    about: "what a policy decided",
    choices: ACTIONS,
    ...single((r) => r.action),
  },
  { name: "user", type: "text", about: "a user it names", aliases: ["username", "user name"], get: (r) => r.users },
  {
    name: "src",
    type: "address",
    about: "the source address",
    aliases: ["source address", "source ip", "src ip", "srcip"],
    ...single((r) => r.src),
  },
  {
    name: "dst",
    type: "address",
    about: "the destination address",
    aliases: ["destination address", "destination ip", "dst ip", "dstip"],
    ...single((r) => r.dst),
  },
  {
    name: "address",
    type: "address",
    about: "any address it names",
    aliases: ["ip"],
    get: (r) => [...one(r.src), ...one(r.dst), ...r.otherAddresses],
  },
  { ...PORT, name: "src port", about: "the source port", aliases: ["source port"], ...single((r) => r.srcPort) },
  {
    ...PORT,
    name: "dst port",
    about: "the destination port",
    aliases: ["destination port"],
    ...single((r) => r.dstPort),
  },
  {
    ...PORT,
    name: "port",
    isCommonWord: true,
    about: "the port of either end",
    get: (r) => [...one(r.srcPort), ...one(r.dstPort)],
  },
  {
    name: "protocol",
    type: "number",
    unit: "count",
    most: 255,
    numberNames: PROTOCOL_NUMBERS,
    about: "the IP protocol, by number or name",
    ...single((r) => r.protocol),
  },
  { name: "interface", type: "text", about: "the interface it names", ...single((r) => r.interface) },
  { name: "bytes", type: "number", unit: "bytes", most: MAX_COUNT, about: "bytes carried", ...single((r) => r.bytes) },
  {
    name: "packets",
    type: "number",
    unit: "count",
    most: MAX_COUNT,
    about: "packets carried",
    ...single((r) => r.packets),
  },
  named("policy", "policy", "the policy or rule of a firewall that decided"),
  named("src zone", "src zone", "the zone it came from"),
  named("dst zone", "dst zone", "the zone it went to"),
  named("log", "log", "the Windows event log it was written to"),
  { ...named("version", "version", "the version of SNMP a notification came by"), isCommonWord: true },
  { ...named("generic", "generic", "the generic trap of SNMPv1, by number"), isCommonWord: true },
  { ...named("specific", "specific", "the specific trap of SNMPv1, by number"), isCommonWord: true },
  {
    name: "level",
    type: "exact",
    about: "the severity as its kind expresses it",
    ...single((r) => r.originalSeverity),
  },
  {
    name: "ingress",
    type: "number",
    unit: "count",
    most: U32,
    about: "the interface a flow came in by",
    ...single((r) => r.flow?.ingress ?? null),
  },
  {
    name: "egress",
    type: "number",
    unit: "count",
    most: U32,
    about: "the interface a flow went out by",
    ...single((r) => r.flow?.egress ?? null),
  },
  {
    name: "dscp",
    type: "number",
    unit: "count",
    most: 63,
    numberNames: CODE_POINTS,
    about: "the DSCP of a flow, by number or name",
    ...single((r) => (r.flow?.tos == null ? null : r.flow.tos >> 2)),
  },
  {
    name: "tcp flags",
    type: "number",
    unit: "count",
    most: 65_535,
    about: "the TCP flags a flow had, as a number",
    ...single((r) => r.flow?.tcpFlags ?? null),
  },
  {
    name: "src as",
    type: "number",
    unit: "count",
    most: U32,
    about: "the AS a flow came from",
    ...single((r) => r.flow?.srcAs ?? null),
  },
  {
    name: "dst as",
    type: "number",
    unit: "count",
    most: U32,
    about: "the AS a flow went to",
    ...single((r) => r.flow?.dstAs ?? null),
  },
  {
    name: "application",
    type: "text",
    about: "what traffic is called: by its exporter, by names of one's own, by the registry of ports",
    ...single((r, names) => names.application(r)),
  },
  {
    name: "problem",
    type: "exact",
    about: "why it could not be decoded in full",
    ...single((r) => r.problem?.code ?? null),
  },
  {
    name: "shape",
    type: "shape",
    most: 0x7fff_ffff,
    isCommonWord: true,
    about: "messages alike but for their values, by the number of their shape",
    ...single((r) => r.shape),
  },
  {
    name: "mark",
    type: "choice",
    about: "how it came: late, held, imported, a copy",
    choices: MARKS,
    get: (r) => r.marks,
  },
  { name: "time", type: "time", about: "when it happened", ...single((r) => r.timeUs) },
  { name: "arrival", type: "time", about: "when it arrived", ...single((r) => r.receivedUs) },
] as const satisfies readonly Field[];

export type FieldName = (typeof FIELDS)[number]["name"];

const byName: ReadonlyMap<string, Field> = new Map(
  (FIELDS as readonly Field[]).flatMap((f) => [f.name, ...(f.aliases ?? [])].map((name) => [name, f] as const)),
);

/** The field of a name, as the table has it or as people say it, in any case. */
export const fieldNamed = (name: string): Field | undefined => byName.get(name.toLowerCase());

/** The field table entry of a name known to exist. */
export function field(name: FieldName): Field {
  return byName.get(name)!;
}
