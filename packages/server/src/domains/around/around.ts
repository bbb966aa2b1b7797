import { AROUND_BY, type AroundBy } from "@halvik/contract/around";
import { type EpochUs, US_PER_HOUR } from "@halvik/core/base/time";
import { type HalvikRecord, SESSION_FIELDS, sessionsOf } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, MAX_FILTER_LENGTH, quoteIfNeeded } from "@halvik/core/query/filter";
import type { Pool } from "../../kernel/db/pool.js";
import { boundTo } from "../portrait/bindings-repository.js";
import { type Subject, subjectOf } from "../portrait/subject.js";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";

/** Bindings of so long around it are followed. */
const BOUND_WITHIN_US = 12 * US_PER_HOUR;
/** Of each sort: a filter has its length. */
const MOST_VALUES = 20;
const BUDGET_MS = 600;

/** What of a record others may share, as a filter; null: it has nothing of the sort, or what it has is too long to look for. */
export async function partOf(
  db: Pool,
  by: AroundBy,
  record: HalvikRecord,
  directory: SenderDirectory,
): Promise<string | null> {
  const part = await sharedPart(db, by, record, directory);
  return part === null || part.length > MAX_FILTER_LENGTH / 2 ? null : part;
}

async function sharedPart(
  db: Pool,
  by: AroundBy,
  record: HalvikRecord,
  directory: SenderDirectory,
): Promise<string | null> {
  const quoted = (values: readonly string[]) =>
    [...new Set(values)].slice(0, MOST_VALUES).map(quoteIfNeeded).join(", ");
  const sender = directory.name(record.sender);
  switch (by) {
    case "time":
      return "";
    case "sender":
      return `sender is ${quoteIfNeeded(sender)}`;
    case "host":
      return record.host === null ? null : `host is ${quoteIfNeeded(record.host)}`;
    case "user":
      return record.users.length === 0 ? null : `user is ${quoted(record.users)}`;
    case "address": {
      const all = addressesOf(record);
      return all.length === 0 ? null : `address is ${all.slice(0, MOST_VALUES).join(", ")}`;
    }
    case "interface":
      return record.interface === null
        ? null
        : `sender is ${quoteIfNeeded(sender)} and interface is ${quoteIfNeeded(record.interface)}`;
    case "session":
      return sessionPart(record, sender);
    case "bindings":
      return boundPart(db, record, directory);
  }
}

/** By what a record has something around it, apart from who it is bound to, which is looked up. */
export async function waysAround(db: Pool, record: HalvikRecord, directory: SenderDirectory): Promise<AroundBy[]> {
  const found: AroundBy[] = [];
  for (const by of AROUND_BY) if ((await partOf(db, by, record, directory)) !== null) found.push(by);
  return found;
}

const addressesOf = ({ src, dst, otherAddresses }: HalvikRecord): string[] => [
  ...new Set([...(src === null ? [] : [src]), ...(dst === null ? [] : [dst]), ...otherAddresses]),
];

/** A session is one of its sender: elsewhere the same number is another. */
function sessionPart(record: HalvikRecord, sender: string): string | null {
  const ids = sessionsOf(record);
  if (ids.length === 0) return null;
  const text = (value: string) => `"${value.replace(/["\\]/g, "\\$&")}"`;
  const any = ids.slice(0, 4).map(text).join(", ");
  return `sender is ${quoteIfNeeded(sender)} and (${SESSION_FIELDS.map((name) => `data ${text(name)} is ${any}`).join(" or ")})`;
}

/** Whoever it names, and what those were bound to at that time: the address a name had, the machine behind it, who used it. */
async function boundPart(db: Pool, record: HalvikRecord, directory: SenderDirectory): Promise<string | null> {
  const asked: Subject["things"] = [
    ...addressesOf(record).map((value) => subjectOf({ kind: "address", value }, directory)),
    ...record.users.filter((u) => u !== "").map((value) => subjectOf({ kind: "user", value }, directory)),
    ...(record.host === null ? [] : [subjectOf({ kind: "host", value: record.host }, directory)]),
  ].flatMap((s) => s.things);
  const bound = await boundTo(db, asked, record.timeUs - BOUND_WITHIN_US, record.timeUs + BOUND_WITHIN_US);
  const of = (thing: string) =>
    [...new Set(bound.filter((b) => b.is === thing).map((b) => b.value))].slice(0, MOST_VALUES);
  const parts = [
    [`address is`, of("address")],
    [`user is`, of("user")],
    [`host is`, of("host")],
  ] as const;
  const said = parts
    .filter(([, values]) => values.length > 0)
    .map(([is, values]) => `${is} ${values.map(quoteIfNeeded).join(", ")}`);
  return said.length === 0 ? null : said.join(" or ");
}

/** The records nearest to a moment, those before and after it. */
export async function nearest(
  ask: Ask,
  filter: Filter,
  { id, timeUs }: Pick<HalvikRecord, "id" | "timeUs">,
  count: number,
  nowUs: EpochUs,
): Promise<{ readonly records: readonly HalvikRecord[]; readonly partial: boolean }> {
  const common = { filter, nowUs, budgetMs: BUDGET_MS, limit: count };
  const cursor = { timeUs, id };
  const [older, newer] = await Promise.all([
    ask(filter).page({ ...common, fromUs: Number.MIN_SAFE_INTEGER, toUs: timeUs + 1, cursor, direction: "older" }),
    ask(filter).page({ ...common, fromUs: timeUs, toUs: Number.MAX_SAFE_INTEGER, cursor, direction: "newer" }),
  ]);
  const records = [...older.records, ...newer.records]
    .filter((r) => r.id !== id)
    .sort((a, b) => Math.abs(a.timeUs - timeUs) - Math.abs(b.timeUs - timeUs) || (a.id < b.id ? -1 : 1))
    .slice(0, count);
  return { records, partial: older.partial || newer.partial };
}

/** Both of two filters, as they are written. */
export const bothParts = (part: string, filter: Filter, directory: SenderDirectory): Filter =>
  part === "" ? filter : { type: "and", items: [ownFilter(part, directory), filter], span: { start: 0, end: 0 } };
