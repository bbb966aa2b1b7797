import { type FieldName, fieldNamed } from "../../model/record/index.js";

/** Names that Sigma's rules use for what records have a field of (its field taxonomy; the rest are values of `data` by their own names). */
const KNOWN: Readonly<Record<string, FieldName>> = {
  eventid: "event",
  provider_name: "app",
  channel: "log",
  computer: "host",
  computername: "host",
  hostname: "host",
  user: "user",
  username: "user",
  sourceip: "src",
  src_ip: "src",
  "c-ip": "src",
  ipaddress: "src",
  clientaddress: "src",
  destinationip: "dst",
  dst_ip: "dst",
  "r-ip": "dst",
  sourceport: "src port",
  src_port: "src port",
  destinationport: "dst port",
  dst_port: "dst port",
  policy: "policy",
};

/** A field as filters name it. */
export type FilterName = { readonly field: FieldName } | { readonly data: string };

/**
 * @param ours the rule says that its names are those of records here (`taxonomy: halvik`)
 * @param event the event that its log source is here, where that has names of its own
 * @returns null: such an event has no value of that name
 */
export function fieldOf(name: string, ours: boolean, event: null): FilterName;
export function fieldOf(name: string, ours: boolean, event: EventNames | null): FilterName | null;
export function fieldOf(name: string, ours: boolean, event: EventNames | null): FilterName | null {
  if (ours) {
    const field = fieldNamed(name);
    return field === undefined ? { data: name.replace(/^data /, "") } : { field: field.name as FieldName };
  }
  const lower = name.toLowerCase();
  if (Object.hasOwn(KNOWN, lower)) return { field: KNOWN[lower]! };
  if (event === null) return { data: name };
  if (event.fields !== undefined && Object.hasOwn(event.fields, lower)) return { field: event.fields[lower]! };
  if (event.names === null) return { data: name };
  const own = Object.hasOwn(event.renamed, lower)
    ? event.renamed[lower]
    : event.names.find((n) => n.toLowerCase() === lower);
  return own === undefined ? null : { data: own };
}

/** An event whose values have other names than Sigma's taxonomy has for them. */
export interface EventNames {
  readonly called: string;
  /** Sigma's name in small letters, and the event's. */
  readonly renamed: Readonly<Record<string, string>>;
  /** Sigma's names in small letters for what such records have a field of, and others have not. */
  readonly fields?: Readonly<Record<string, FieldName>>;
  /** What else it has, by its own names; null: anything. */
  readonly names: readonly string[] | null;
}

/**
 * The creation of a process in the Security log (Microsoft, "4688(S): A new process has been created", from memory). Left out are the numbers
 * of processes: they are hexadecimal there, and its `ProcessId` is the parent's.
 */
const PROCESS_CREATED: EventNames = {
  called: "event 4688",
  renamed: { image: "NewProcessName", parentimage: "ParentProcessName", logonid: "SubjectLogonId" },
  names: [
    ...["CommandLine", "NewProcessName", "ParentProcessName", "TokenElevationType", "MandatoryLabel"],
    ...["SubjectUserSid", "SubjectUserName", "SubjectDomainName", "SubjectLogonId"],
    ...["TargetUserSid", "TargetUserName", "TargetDomainName", "TargetLogonId"],
  ],
};

/** What a firewall decided is a field of its records (Sigma's field taxonomy, "Firewall"; from memory). */
const DECIDED: EventNames = {
  called: "a decision of a firewall",
  renamed: {},
  fields: { action: "action" },
  names: null,
};

/** Where records come from, as Sigma says it, and the filter that says the same here. */
export interface Logsource {
  readonly product: string | null;
  readonly category: string | null;
  readonly service: string | null;
}

const WINDOWS = (log: string) => `kind is windows and log is "${log}"`;
const PROGRAMS = (...apps: readonly string[]) => `kind is syslog and app in (${apps.join(", ")})`;

/** What is known of common log sources; of others a person says it. */
const SOURCES: readonly { readonly of: Partial<Logsource>; readonly filter: string; readonly event?: EventNames }[] = [
  { of: { product: "windows", service: "security" }, filter: WINDOWS("Security") },
  { of: { product: "windows", service: "system" }, filter: WINDOWS("System") },
  { of: { product: "windows", service: "application" }, filter: WINDOWS("Application") },
  {
    of: { product: "windows", category: "process_creation" },
    filter: `${WINDOWS("Security")} and event is 4688`,
    event: PROCESS_CREATED,
  },
  { of: { product: "linux", service: "sshd" }, filter: PROGRAMS("sshd") },
  { of: { product: "linux", service: "sudo" }, filter: PROGRAMS("sudo") },
  { of: { product: "linux", service: "cron" }, filter: PROGRAMS("cron", "crond") },
  { of: { product: "linux", service: "auth" }, filter: PROGRAMS("sshd", "sudo", "su", "login") },
  { of: { product: "linux", service: "syslog" }, filter: "kind is syslog" },
  { of: { category: "firewall" }, filter: "kind is firewall", event: DECIDED },
  { of: { product: "windows" }, filter: "kind is windows" },
  { of: { product: "linux" }, filter: "kind is syslog" },
];

/** What a log source is here. */
export interface Source {
  readonly filter: string;
  /** Null: values have the names that rules use. */
  readonly event: EventNames | null;
}

/** What a log source is here; null: nobody has said it. The most telling entry that fits. */
export function sourceOf(source: Logsource, own: ReadonlyMap<string, string>): Source | null {
  const said = own.get(sourceKey(source));
  if (said !== undefined) return { filter: said, event: null };
  const parts = (s: Partial<Logsource>) => Object.entries(s) as [keyof Logsource, string][];
  const fits = SOURCES.find(({ of }) => {
    const given = parts(source).filter(([, value]) => value !== null);
    // one that says more than is known here is another source
    return given.length === parts(of).length && parts(of).every(([name, value]) => source[name] === value);
  });
  return fits === undefined ? null : { filter: fits.filter, event: fits.event ?? null };
}

/** How a log source is written where it is one of several. */
export const sourceKey = ({ product, category, service }: Logsource): string =>
  [product && `product ${product}`, category && `category ${category}`, service && `service ${service}`]
    .filter(Boolean)
    .join(", ");
