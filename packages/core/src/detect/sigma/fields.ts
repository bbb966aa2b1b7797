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

/** @param ours the rule says that its names are those of records here (`taxonomy: halvik`) */
export function fieldOf(name: string, ours: boolean): FilterName {
  if (ours) {
    const field = fieldNamed(name);
    return field === undefined ? { data: name.replace(/^data /, "") } : { field: field.name as FieldName };
  }
  const lower = name.toLowerCase();
  return Object.hasOwn(KNOWN, lower) ? { field: KNOWN[lower]! } : { data: name };
}

/** Where records come from, as Sigma says it, and the filter that says the same here. */
export interface Logsource {
  readonly product: string | null;
  readonly category: string | null;
  readonly service: string | null;
}

const WINDOWS = (log: string) => `kind is windows and log is "${log}"`;
const PROGRAMS = (...apps: readonly string[]) => `kind is syslog and app in (${apps.join(", ")})`;

/** What is known of common log sources; of others a person says it. */
const SOURCES: readonly { readonly of: Partial<Logsource>; readonly filter: string }[] = [
  { of: { product: "windows", service: "security" }, filter: WINDOWS("Security") },
  { of: { product: "windows", service: "system" }, filter: WINDOWS("System") },
  { of: { product: "windows", service: "application" }, filter: WINDOWS("Application") },
  { of: { product: "windows", category: "process_creation" }, filter: `${WINDOWS("Security")} and event is 4688` },
  { of: { product: "linux", service: "sshd" }, filter: PROGRAMS("sshd") },
  { of: { product: "linux", service: "sudo" }, filter: PROGRAMS("sudo") },
  { of: { product: "linux", service: "cron" }, filter: PROGRAMS("cron", "crond") },
  { of: { product: "linux", service: "auth" }, filter: PROGRAMS("sshd", "sudo", "su", "login") },
  { of: { product: "linux", service: "syslog" }, filter: "kind is syslog" },
  { of: { category: "firewall" }, filter: "kind is firewall" },
  { of: { product: "windows" }, filter: "kind is windows" },
  { of: { product: "linux" }, filter: "kind is syslog" },
];

/** The filter of a log source; null: nobody has said what it is here. The most telling entry that fits. */
export function sourceFilter(source: Logsource, own: ReadonlyMap<string, string>): string | null {
  const said = own.get(sourceKey(source));
  if (said !== undefined) return said;
  const parts = (s: Partial<Logsource>) => Object.entries(s) as [keyof Logsource, string][];
  const fits = SOURCES.find(({ of }) => {
    const given = parts(source).filter(([, value]) => value !== null);
    // one that says more than is known here is another source
    return given.length === parts(of).length && parts(of).every(([name, value]) => source[name] === value);
  });
  return fits?.filter ?? null;
}

/** How a log source is written where it is one of several. */
export const sourceKey = ({ product, category, service }: Logsource): string =>
  [product && `product ${product}`, category && `category ${category}`, service && `service ${service}`]
    .filter(Boolean)
    .join(", ");
