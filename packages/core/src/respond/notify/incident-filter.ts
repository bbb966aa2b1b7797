import { type EpochUs, US_PER_DAY, US_PER_HOUR, WEEKDAYS, weekday, zoneOffsetUs } from "../../base/time/index.js";
import { type FieldValue, SEVERITIES, type Severity } from "../../model/record/index.js";
import type { SenderDirectory } from "../../model/senders/index.js";
import {
  type Comparison,
  compileTree,
  type FilterField,
  type ParseResult,
  parseFilterOf,
  spelledOut,
  type Vocabulary,
  valueTestOf,
} from "../../query/filter/index.js";
import { INCIDENT_STATES } from "../incidents/index.js";

/** What a filter of incidents looks at. */
export interface FilteredIncident {
  readonly title: string;
  readonly severity: Severity;
  readonly state: "open" | "cleared" | "closed";
  /** How many records it holds. */
  readonly count: number;
  /** Of its rules: ids and names. */
  readonly rules: readonly { readonly id: string; readonly name: string }[];
  readonly tags: readonly string[];
  readonly techniques: readonly string[];
  /** What it names: fields of records and their values; of senders the name. */
  readonly entities: readonly { readonly field: string; readonly value: string }[];
  /** Of the senders it names. */
  readonly senderIds: readonly number[];
}

/** When it is asked, by whose clock. */
interface Asked {
  readonly incident: FilteredIncident;
  readonly nowUs: EpochUs;
  readonly zone: string;
}

interface IncidentField extends FilterField {
  readonly get: (asked: Asked) => readonly FieldValue[];
}

const named =
  (...fields: readonly string[]) =>
  ({ incident }: Asked) =>
    incident.entities.flatMap((e) => (fields.includes(e.field) ? [e.value] : []));
const civilUs = ({ nowUs, zone }: Asked): number => nowUs + zoneOffsetUs(zone, nowUs);

/** The fields of incidents, for filters of notifications; names and types as records have them where both have one. */
const INCIDENT_FIELDS = [
  {
    name: "text",
    type: "text",
    about: "its title, its rules' names, what it names",
    get: ({ incident: i }) => [i.title, ...i.rules.map((r) => r.name), ...i.entities.map((e) => e.value)],
  },
  {
    name: "severity",
    type: "severity",
    about: "how urgent it is now",
    choices: SEVERITIES,
    get: ({ incident }) => [incident.severity],
  },
  {
    name: "sender",
    type: "sender",
    about: "a device it names, by name, group or site",
    get: (a) => a.incident.senderIds,
  },
  { name: "host", type: "text", about: "a host it names", get: named("host", "sender") },
  { name: "user", type: "text", about: "a user it names", get: named("user") },
  {
    name: "address",
    type: "address",
    about: "any address it names",
    aliases: ["ip"],
    get: named("src", "dst", "address"),
  },
  { name: "src", type: "address", about: "a source address it names", get: named("src") },
  { name: "dst", type: "address", about: "a destination address it names", get: named("dst") },
  { name: "interface", type: "text", about: "an interface it names", get: named("interface") },
  {
    name: "rule",
    type: "text",
    about: "one of its rules, by id or name",
    get: ({ incident }) => incident.rules.flatMap((r) => [r.id, r.name]),
  },
  { name: "tag", type: "text", about: "a tag of one of its rules", get: ({ incident }) => incident.tags },
  {
    name: "technique",
    type: "text",
    about: "a technique of one of its rules, as T1110",
    get: ({ incident }) => incident.techniques,
  },
  {
    name: "state",
    type: "choice",
    about: "how it stands",
    choices: INCIDENT_STATES,
    get: ({ incident }) => [incident.state],
  },
  {
    name: "records",
    type: "number",
    unit: "count",
    about: "how many records it holds",
    get: ({ incident }) => [incident.count],
  },
  {
    name: "hour",
    type: "number",
    unit: "count",
    most: 23,
    about: "the hour of the notification, by the notification's clock",
    get: (a) => [Math.floor((civilUs(a) % US_PER_DAY) / US_PER_HOUR)],
  },
  {
    name: "weekday",
    type: "choice",
    about: "the day of the notification",
    choices: WEEKDAYS,
    get: (a) => [weekday(Math.floor(civilUs(a) / US_PER_DAY))],
  },
] as const satisfies readonly IncidentField[];
type IncidentFieldName = (typeof INCIDENT_FIELDS)[number]["name"];

const byName = new Map<string, IncidentField>(
  (INCIDENT_FIELDS as readonly IncidentField[]).flatMap((f) => [f.name, ...(f.aliases ?? [])].map((n) => [n, f])),
);

/** What a filter of incidents may name. */
export const INCIDENTS: Vocabulary<IncidentFieldName> = {
  fields: INCIDENT_FIELDS,
  named: (name) => byName.get(name.toLowerCase()),
  hasData: false,
  one: "incident",
};

/** A filter of incidents as it is written. @param directory where given, names of senders, groups and sites are checked against it */
export const parseIncidentFilter = (text: string, directory?: SenderDirectory): ParseResult<IncidentFieldName> =>
  parseFilterOf(INCIDENTS, text, { zone: "UTC", ...(directory ? { directory } : {}) });

/** Whether a filter holds for an incident that is told at a moment, by the clock of a zone. @param text one that can be read */
export function incidentMatches(
  text: string,
  incident: FilteredIncident,
  { directory, nowUs, zone }: { readonly directory: SenderDirectory; readonly nowUs: EpochUs; readonly zone: string },
): boolean {
  const parsed = parseIncidentFilter(text);
  if (!parsed.ok) return false;
  const leaf = (written: Comparison<IncidentFieldName>) => {
    const node = spelledOut(written, directory);
    const { type, get } = byName.get(node.field)!;
    const test = valueTestOf(node, type, { directory, nowUs });
    return (asked: Asked) => get(asked).some(test) !== node.negated;
  };
  return compileTree(parsed.filter, leaf)({ incident, nowUs, zone });
}
