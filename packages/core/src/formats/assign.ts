import { canonicalAddress } from "../base/net/index.js";
import { actionOf, portOf, protocolOf } from "../decode/firewall/index.js";
import type { Value } from "../decode/lines/index.js";
import type { Meanings } from "../meaning/index.js";
import { canonicalUser } from "../model/entity/canonical.js";
import {
  CATEGORIES,
  type ContentDraft,
  FIELDS,
  OUTCOMES,
  parseSeverity,
  type RecordContent,
  readCount,
  type Severity,
  severityName,
} from "../model/record/index.js";
import type { OwnFormat } from "./own-format.js";

/** Puts a value where it belongs. @returns false when it does not fit there */
type Setter = (c: ContentDraft, value: string) => boolean;

/** A value that is read, or null, into its member. */
const read =
  <K extends keyof ContentDraft>(member: K, reader: (text: string) => ContentDraft[K] | null): Setter =>
  (c, value) => {
    const found = reader(value);
    if (found === null) return false;
    c[member] = found;
    return true;
  };
const asIs = (text: string): string | null => (text === "" ? null : text);
const oneOf =
  <T extends string>(all: readonly T[]) =>
  (text: string): T | null =>
    all.find((one) => one === text.toLowerCase()) ?? null;

const SETTERS: Readonly<Record<string, Setter>> = {
  host: read("host", asIs),
  app: read("app", asIs),
  process: read("process", asIs),
  event: read("event", asIs),
  interface: read("interface", asIs),
  src: read("src", canonicalAddress),
  dst: read("dst", canonicalAddress),
  "src port": read("srcPort", portOf),
  "dst port": read("dstPort", portOf),
  protocol: read("protocol", protocolOf),
  bytes: read("bytes", readCount),
  packets: read("packets", readCount),
  action: read("action", actionOf),
  outcome: read("outcome", oneOf(OUTCOMES)),
  category: read("category", oneOf(CATEGORIES)),
  severity: (c, value) => {
    const severity = parseSeverity(value);
    if (severity === null) return false;
    // the severity that came stays beside
    c.originalSeverity ??= severityName(c.severity);
    c.severity = severity;
    return true;
  },
  user: (c, value) => {
    if (value === "") return false;
    const user = canonicalUser(value);
    if (!c.users.includes(user)) c.users = [...c.users, user];
    return true;
  },
  address: (c, value) => {
    const address = canonicalAddress(value);
    if (address === null) return false;
    if (!c.otherAddresses.includes(address)) c.otherAddresses = [...c.otherAddresses, address];
    return true;
  },
};

/** Fields that stand among the named values, by the name they have there. */
const DATA_NAMES = new Map(FIELDS.flatMap((f) => ("dataName" in f ? [[f.name as string, f.dataName as string]] : [])));

/** What a value may be called to become a field; anything else is a name of its own. */
export const FIELD_TARGETS: readonly string[] = [...Object.keys(SETTERS), ...DATA_NAMES.keys()];

const MOST_VALUES = 200;

/**
 * A record with what a format read in it. Text, bytes and time stay what they were. A record that says what was decided about which ends is a
 * firewall's decision.
 */
export function withValues(
  record: RecordContent,
  values: readonly Value[],
  { name, sets, words }: OwnFormat,
  meanings: Meanings,
): RecordContent {
  const c: ContentDraft = { ...record };
  const data: (readonly [string, string])[] = [...record.data];
  // what a decoder made of the same text gives way to what a person said it means
  if (record.kind === "firewall") data.length = 0;
  if (sets.category !== undefined) c.category = sets.category;
  if (sets.outcome !== undefined) c.outcome = sets.outcome;
  if (sets.app !== undefined) c.app = sets.app;
  if (sets.event !== undefined) c.event = sets.event;
  if (sets.severity !== undefined) SETTERS.severity!(c, String(sets.severity));
  for (const { name: to, text } of values.slice(0, MOST_VALUES)) {
    if (to === "") continue;
    const translations = words[to as keyof typeof words];
    const value = translations !== undefined && Object.hasOwn(translations, text) ? translations[text]! : text;
    const set = Object.hasOwn(SETTERS, to) ? SETTERS[to] : undefined;
    if (set?.(c, value)) continue;
    data.push([DATA_NAMES.get(to) ?? to, text]);
  }
  data.push(["format", name]);
  c.data = data;
  if (c.action !== null && (c.src !== null || c.dst !== null)) {
    c.kind = "firewall";
    if (sets.category === undefined) c.category = "policy";
    if (c.outcome === "unknown") c.outcome = c.action === "accept" ? "success" : "failure";
    c.severity = Math.min(c.severity, meanings.severity("firewall", c.action, 6)) as Severity;
  }
  return c;
}
