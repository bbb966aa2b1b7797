import { ACTIONS, type Action, CATEGORIES, FACILITIES, KINDS, MARKS, OUTCOMES } from "./names.js";
import type { HalvikRecord } from "./record.js";
import { SEVERITIES } from "./severity.js";

/**
 * The one field table. Filter types and completion, the SQL compiler, the in-memory evaluator, columns and docs read it.
 * A new field is one line here and one line in the store's column table.
 */
export type FieldType = "text" | "exact" | "number" | "severity" | "choice" | "address" | "time" | "sender" | "port";

export interface Field {
  readonly name: string;
  readonly type: FieldType;
  /** What it holds, as a person says it. */
  readonly about: string;
  /** For type "choice": every value. */
  readonly choices?: readonly string[];
  /** For type "number": the unit family, so that "10 MB" can be read. */
  readonly unit?: "bytes" | "count";
  /** Every value of a record: none when missing. */
  readonly get: (record: HalvikRecord) => readonly (string | number)[];
}

const none: readonly never[] = [];
const one = <T extends string | number>(value: T | null): readonly T[] => (value === null ? none : [value]);

export const FIELDS = [
  { name: "text", type: "text", about: "the message", get: (r) => [r.text] },
  {
    name: "severity",
    type: "severity",
    about: "how urgent, on the common scale",
    choices: SEVERITIES,
    get: (r) => [r.severity],
  },
  { name: "sender", type: "sender", about: "the device that sent it, by name, group or site", get: (r) => [r.sender] },
  { name: "kind", type: "choice", about: "the kind of record", choices: KINDS, get: (r) => [r.kind] },
  { name: "host", type: "text", about: "the host name written in the record", get: (r) => one(r.host) },
  { name: "app", type: "text", about: "the application or tag", get: (r) => one(r.app) },
  { name: "process", type: "exact", about: "the process id or name", get: (r) => one(r.process) },
  { name: "event", type: "exact", about: "the message id, event id or object identifier", get: (r) => one(r.event) },
  {
    name: "facility",
    type: "choice",
    about: "the syslog facility",
    choices: FACILITIES,
    get: (r) => (r.facility === null ? none : [FACILITIES[r.facility] ?? ""]),
  },
  { name: "category", type: "choice", about: "what it is about", choices: CATEGORIES, get: (r) => [r.category] },
  { name: "outcome", type: "choice", about: "how it ended", choices: OUTCOMES, get: (r) => [r.outcome] },
  {
    name: "action",
    type: "choice",
    about: "what a policy decided",
    choices: ACTIONS,
    get: (r) => one<Action>(r.action),
  },
  { name: "user", type: "text", about: "a user it names", get: (r) => r.users },
  { name: "src", type: "address", about: "the source address", get: (r) => one(r.src) },
  { name: "dst", type: "address", about: "the destination address", get: (r) => one(r.dst) },
  {
    name: "address",
    type: "address",
    about: "any address it names",
    get: (r) => [...one(r.src), ...one(r.dst), ...r.otherAddresses],
  },
  { name: "src port", type: "port", about: "the source port", get: (r) => one(r.srcPort) },
  { name: "dst port", type: "port", about: "the destination port", get: (r) => one(r.dstPort) },
  { name: "protocol", type: "number", unit: "count", about: "the IP protocol number", get: (r) => one(r.protocol) },
  { name: "interface", type: "text", about: "the interface it names", get: (r) => one(r.interface) },
  { name: "bytes", type: "number", unit: "bytes", about: "bytes carried", get: (r) => one(r.bytes) },
  { name: "packets", type: "number", unit: "count", about: "packets carried", get: (r) => one(r.packets) },
  {
    name: "problem",
    type: "exact",
    about: "why it could not be decoded in full",
    get: (r) => one(r.problem?.code ?? null),
  },
  {
    name: "mark",
    type: "choice",
    about: "how it came: late, held, imported, a copy",
    choices: MARKS,
    get: (r) => r.marks,
  },
  { name: "time", type: "time", about: "when it happened", get: (r) => [r.timeUs] },
  { name: "arrival", type: "time", about: "when it arrived", get: (r) => [r.receivedUs] },
] as const satisfies readonly Field[];

export type FieldName = (typeof FIELDS)[number]["name"];

const byName: ReadonlyMap<string, Field> = new Map(FIELDS.map((f) => [f.name, f]));

export const fieldNamed = (name: string): Field | undefined => byName.get(name);

/** The field table entry of a name known to exist. */
export function field(name: FieldName): Field {
  return byName.get(name)!;
}
