import type { Portrait } from "@halvik/contract/portrait";
import { formatUs, US_PER_DAY } from "@halvik/core/base/time";
import { entityCode } from "@halvik/core/model/entity";
import { ACTIONS, type FieldName, type HalvikRecord, SEVERITIES, severityName } from "@halvik/core/model/record";
import { OWN_SENDER, type SenderDirectory } from "@halvik/core/model/senders";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import type { Queryable } from "../../kernel/db/pool.js";
import type { ValueMatrix } from "../../store/value-matrix.js";
import { incidentsNaming } from "../incidents/repository.js";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";
import { type Bound, boundTo } from "./bindings-repository.js";
import { aboutOf, type Subject } from "./subject.js";

/** Each part may take so long; what is not counted by then is said to be missing. */
const BUDGET_MS = 800;
const SHOWN = 12;
const BINDINGS_SHOWN = 40;
/** What is bound to it is looked for so long before the window, too: what it was before. */
const BEFORE_US = 30 * US_PER_DAY;
const END_OF_TIME_US = 4e15;

/** What is needed to answer. */
export interface PortraitNeeds {
  readonly db: Queryable;
  readonly ask: Ask;
  readonly directory: SenderDirectory;
  readonly nowUs: number;
}

export interface Window {
  readonly fromUs: number;
  readonly toUs: number;
}

/** What a thing is, who used it, what was decided about it, what it said: each line with the filter that finds its records. */
export async function portraitOf(needs: PortraitNeeds, subject: Subject, window: Window): Promise<Portrait> {
  const { db, ask, directory, nowUs } = needs;
  const own = `(${subject.filter})`;
  const asking = { ...window, nowUs, budgetMs: BUDGET_MS };
  const matrix = (filter: string, rows: FieldName, columns: FieldName): Promise<ValueMatrix> => {
    const read = ownFilter(filter, directory);
    return ask(read).matrix({
      ...asking,
      filter: read,
      of: { rows: { field: rows }, columns: { field: columns }, topRows: SHOWN, topColumns: SHOWN, by: "records" },
    });
  };
  const logonFilter = `${own} and category is logon and outcome is success, failure`;
  const decided = `${own} and not kind is flow and action present`;
  const people: readonly FieldName[] = subject.kind === "user" ? ["src", "sender"] : ["user"];
  const [records, decisions, first, last, bindings, incidents, ...logons] = await Promise.all([
    matrix(subject.filter, "kind", "severity"),
    matrix(decided, "policy", "action"),
    endOf(needs, subject.filter, "newer"),
    endOf(needs, subject.filter, "older"),
    boundTo(db, subject.things, window.fromUs - BEFORE_US, window.toUs),
    incidentsNaming(db, codesOf(subject, directory), window.fromUs, window.toUs, SHOWN),
    ...people.map((field) => matrix(logonFilter, field, "outcome")),
  ]);
  const cell = (m: ValueMatrix, row: number, column: string): number =>
    Number(m.cells[row]?.[m.columns.findIndex((c) => c.value === column)] ?? 0);
  const asWritten = (field: FieldName, value: string): { label: string; filter: string } => {
    if (field !== "sender") return { label: value, filter: `${field} is ${quoteIfNeeded(value)}` };
    const name = directory.name(Number(value));
    return { label: name, filter: `sender is ${quoteIfNeeded(name)}` };
  };
  return {
    kind: subject.kind,
    value: subject.value,
    from: formatUs(window.fromUs),
    to: formatUs(window.toUs),
    about: aboutOf(subject),
    sender: subject.sender === null ? null : { id: subject.sender.id, name: subject.sender.name },
    addresses: [...addressesIn(subject, bindings, window)],
    filter: subject.filter,
    firstSeen: witness(first),
    lastSeen: witness(last),
    bindings: bindingsShown(subject, bindings),
    records: {
      total: records.rows.reduce((sum, r) => sum + Number(r.total), 0),
      kinds: records.rows.map((r) => ({
        label: r.value,
        note: "",
        count: Number(r.total),
        filter: `${own} and kind is ${quoteIfNeeded(r.value)}`,
      })),
      severities: records.columns
        .map((c) => ({ severity: severityOf(c.value), count: Number(c.total) }))
        .sort((a, b) => SEVERITIES.indexOf(a.severity) - SEVERITIES.indexOf(b.severity))
        .map(({ severity, count }) => ({
          label: severity,
          note: "",
          severity,
          count,
          filter: `${own} and severity is ${severity}`,
        })),
    },
    logons: people.flatMap((field, i) => {
      // one person in two spellings is one, as the filter finds them
      const rows = new Map<string, Portrait["logons"][number]>();
      for (const [row, r] of logons[i]!.rows.entries()) {
        const { label, filter } = asWritten(field, directory.ours.canonical(field, r.value));
        const known = rows.get(label);
        rows.set(label, {
          label,
          note: field === "src" ? "from" : field === "sender" ? "on" : "",
          count: (known?.count ?? 0) + Number(r.total),
          success: (known?.success ?? 0) + cell(logons[i]!, row, "success"),
          failure: (known?.failure ?? 0) + cell(logons[i]!, row, "failure"),
          filter: `${logonFilter} and ${filter}`,
        });
      }
      return [...rows.values()];
    }),
    decisions: decisions.rows.flatMap((r, row) =>
      ACTIONS.map((action) => ({
        label: r.value,
        note: "",
        action,
        count: cell(decisions, row, action),
        filter: `${decided} and policy is ${quoteIfNeeded(r.value)} and action is ${action}`,
      })).filter((d) => d.count > 0),
    ),
    incidents: incidents.map((i) => ({
      id: i.id,
      title: i.title,
      severity: severityName(i.severity),
      state: i.state,
      first: formatUs(i.firstUs),
      last: formatUs(i.lastUs),
    })),
    partial: ![records, decisions, ...logons].every((m) => m.exact),
  };
}

const severityOf = (value: string): Portrait["records"]["severities"][number]["severity"] =>
  SEVERITIES.find((s) => s === value) ?? severityName(Number(value) as 0);

/** Its first record of all that are kept, or its last. */
async function endOf(
  { ask, directory, nowUs }: PortraitNeeds,
  text: string,
  direction: "older" | "newer",
): Promise<HalvikRecord | null> {
  const filter = ownFilter(text, directory);
  const page = await ask(filter).page({
    filter,
    fromUs: 0,
    toUs: END_OF_TIME_US,
    nowUs,
    budgetMs: BUDGET_MS,
    limit: 1,
    cursor: null,
    direction,
  });
  return page.records[0] ?? null;
}

const witness = (r: HalvikRecord | null): Portrait["firstSeen"] =>
  r === null ? null : { time: formatUs(r.timeUs), record: r.id };

/** By what findings name it. */
function codesOf({ kind, value, sender, addresses }: Subject, { ours }: SenderDirectory): string[] {
  const codes = addresses.flatMap((a) => ["src", "dst", "address"].map((field) => entityCode(field, a)));
  if (sender !== null && kind !== "interface" && sender.id !== OWN_SENDER)
    codes.push(entityCode("sender", String(sender.id)));
  if (kind === "user") codes.push(...ours.spellings("user", value).map((v) => entityCode("user", v)));
  if (kind === "host" || kind === "sender")
    codes.push(...ours.spellings("host", value).map((v) => entityCode("host", v)));
  if (kind === "interface") codes.push(entityCode("interface", value.toLowerCase()));
  return codes;
}

/** Its own addresses: those it has been given, and those it is said to have had in the window. */
export function addressesIn(subject: Subject, bindings: readonly Bound[], { fromUs, toUs }: Window): Set<string> {
  const bound =
    subject.kind === "host" || subject.kind === "sender"
      ? bindings.filter((b) => b.is === "address" && b.by !== "logon" && b.lastUs >= fromUs && b.firstUs < toUs)
      : [];
  return new Set([...subject.addresses, ...bound.map((b) => b.value)]);
}

/** Things of which one has one at a time: of two that are said to be its own at once, one is wrong. */
const SINGLE = ["host", "mac"];

function bindingsShown(subject: Subject, bindings: readonly Bound[]): Portrait["bindings"] {
  const entered =
    subject.sender === null || subject.kind === "interface"
      ? []
      : subject.kind === "address"
        ? [{ is: "host" as const, value: subject.sender.name }]
        : subject.addresses.map((value) => ({ is: "address" as const, value }));
  const others = (b: Bound) =>
    bindings.some(
      (o) => o.is === b.is && o.by === b.by && o.value !== b.value && o.firstUs < b.lastUs && b.firstUs < o.lastUs,
    );
  return [
    ...entered.map((e) => ({ ...e, by: "sender" as const, first: null, last: null, count: 0, conflict: false })),
    ...bindings.slice(0, BINDINGS_SHOWN).map((b) => ({
      is: b.is,
      value: b.value,
      by: b.by,
      first: { time: formatUs(b.firstUs), record: b.firstRecord },
      last: { time: formatUs(b.lastUs), record: b.lastRecord },
      count: b.count,
      conflict: subject.kind === "address" && b.by !== "logon" && SINGLE.includes(b.is) && others(b),
    })),
  ];
}
