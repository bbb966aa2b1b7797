import { formatNetwork, type Network } from "@halvik/core/base/net";
import { fold, LEADING_NUMBER_SQL } from "@halvik/core/base/text";
import type { OwnApplication } from "@halvik/core/model/applications";
import {
  ACTIONS,
  CATEGORIES,
  FACILITIES,
  type FieldName,
  field,
  KINDS,
  MARKS,
  OUTCOMES,
  SEVERITIES,
} from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import {
  type Comparison,
  type Filter,
  requiredLiterals,
  senderIds,
  spelledOut,
  undecided,
  valueTest,
} from "@halvik/core/query/filter";
import { FLOW_SEVERITY } from "./flow-columns.js";
import type { Shape } from "./segments.js";

/**
 * A filter as a condition on `r`. `exact`: it is true for just the records the filter matches; otherwise for those and
 * perhaps more, and core decides (word boundaries and patterns are core's alone: `docs/semantics.md` 18).
 */
export interface FilterSql {
  readonly text: string;
  readonly exact: boolean;
}

/** Of which shape `r` is; rollups have the columns of records they need. */
export interface SqlContext {
  readonly shape?: Shape;
  readonly directory: SenderDirectory;
  readonly nowUs: number;
}

/** Collects values as `$n`; nothing of a filter ever becomes SQL text. */
export class Params {
  readonly values: unknown[] = [];

  add(value: unknown, cast = ""): string {
    this.values.push(value);
    return `$${this.values.length}${cast}`;
  }

  /** The negation of a part; where that is undecided, its values are taken back: one that nothing names has no type. */
  negated(build: () => FilterSql): FilterSql {
    const before = this.values.length;
    const part = negate(build());
    if (part === UNDECIDED) this.values.length = before;
    return part;
  }
}

const SYSLOG = KINDS.indexOf("syslog");

type Column =
  | { readonly is: "text"; readonly sql: string; readonly folds: boolean; readonly many?: boolean }
  | { readonly is: "number"; readonly sql: string }
  | { readonly is: "ports" }
  /** What the exporter said, and which records beside flows have a name of their own. */
  | { readonly is: "application"; readonly said: string; readonly traffic: string }
  | { readonly is: "index"; readonly sql: string; readonly names: readonly string[] }
  | { readonly is: "address"; readonly columns: readonly string[]; readonly list?: string }
  | { readonly is: "marks" }
  | { readonly is: "data"; readonly name: string }
  | { readonly is: "sender" };

const NO_TEXT: Column = { is: "text", sql: "null::text", folds: true };
const NO_NUMBER: Column = { is: "number", sql: "null::bigint" };

/** How each field of core's table stands in a segment of records. */
const RECORD_FIELDS: Readonly<Record<FieldName, Column>> = {
  text: { is: "text", sql: "nullif(r.message, '')", folds: true },
  host: { is: "text", sql: "r.host", folds: true },
  app: { is: "text", sql: "r.app", folds: true },
  user: { is: "text", sql: "r.users", folds: true, many: true },
  interface: { is: "text", sql: "r.interface", folds: true },
  process: { is: "text", sql: "r.process", folds: false },
  event: { is: "text", sql: "r.event", folds: false },
  problem: { is: "text", sql: "(r.problem->>'code')", folds: false },
  shape: { is: "number", sql: "r.shape" },
  severity: { is: "number", sql: "r.severity" },
  sender: { is: "sender" },
  kind: { is: "index", sql: "r.kind", names: KINDS },
  facility: { is: "index", sql: "r.facility", names: FACILITIES },
  category: { is: "index", sql: "r.category", names: CATEGORIES },
  outcome: { is: "index", sql: "r.outcome", names: OUTCOMES },
  action: { is: "index", sql: "r.action", names: ACTIONS },
  mark: { is: "marks" },
  src: { is: "address", columns: ["r.src"] },
  dst: { is: "address", columns: ["r.dst"] },
  address: { is: "address", columns: ["r.src", "r.dst"], list: "r.other_addresses" },
  "src port": { is: "number", sql: "r.src_port" },
  "dst port": { is: "number", sql: "r.dst_port" },
  port: { is: "ports" },
  protocol: { is: "number", sql: "r.protocol" },
  bytes: { is: "number", sql: "r.bytes" },
  packets: { is: "number", sql: "r.packets" },
  time: { is: "number", sql: "r.time" },
  arrival: { is: "number", sql: "r.received" },
  policy: { is: "data", name: "policy" },
  "src zone": { is: "data", name: "src zone" },
  "dst zone": { is: "data", name: "dst zone" },
  log: { is: "data", name: "log" },
  version: { is: "data", name: "version" },
  generic: { is: "data", name: "generic" },
  specific: { is: "data", name: "specific" },
  // a syslog record's is its severity, kept only where it differs
  level: {
    is: "text",
    sql: `(case when r.kind <> ${SYSLOG} then r.original_severity when r.original_severity is null then ('{${SEVERITIES.join(",")}}'::text[])[r.severity + 1] when r.original_severity <> 'none' then r.original_severity end)`,
    folds: false,
  },
  ingress: NO_NUMBER,
  egress: NO_NUMBER,
  dscp: NO_NUMBER,
  "tcp flags": NO_NUMBER,
  "src as": NO_NUMBER,
  "dst as": NO_NUMBER,
  application: { is: "application", said: "null::text", traffic: `r.kind = ${KINDS.indexOf("firewall")}` },
};

/** The same in a segment of flows: what it has no column for is missing, what is the same for all is a constant. */
const FLOW_FIELDS: Readonly<Record<FieldName, Column>> = {
  ...RECORD_FIELDS,
  text: NO_TEXT,
  host: NO_TEXT,
  app: NO_TEXT,
  user: { is: "text", sql: "null::text[]", folds: true, many: true },
  interface: NO_TEXT,
  process: { is: "text", sql: "null::text", folds: false },
  event: { is: "text", sql: "null::text", folds: false },
  level: { is: "text", sql: "null::text", folds: false },
  severity: { is: "number", sql: String(FLOW_SEVERITY) },
  kind: { is: "index", sql: String(KINDS.indexOf("flow")), names: KINDS },
  facility: { is: "index", sql: "null::int", names: FACILITIES },
  category: { is: "index", sql: String(CATEGORIES.indexOf("traffic")), names: CATEGORIES },
  address: { is: "address", columns: ["r.src", "r.dst"] },
  shape: { is: "number", sql: "null::int" },
  ingress: { is: "number", sql: "r.ingress" },
  egress: { is: "number", sql: "r.egress" },
  dscp: { is: "number", sql: "(r.tos >> 2)" },
  "tcp flags": { is: "number", sql: "r.tcp_flags" },
  "src as": { is: "number", sql: "r.src_as" },
  "dst as": { is: "number", sql: "r.dst_as" },
  application: { is: "application", said: "r.application", traffic: "true" },
};

const FIELDS_OF: Readonly<Record<Shape, Readonly<Record<FieldName, Column>>>> = {
  record: RECORD_FIELDS,
  flow: FLOW_FIELDS,
};

const EVERYTHING: FilterSql = { text: "true", exact: true };
/** True for at least everything: what is left when a part cannot be decided here. */
const UNDECIDED: FilterSql = { text: "true", exact: false };

export function filterToSql(filter: Filter, params: Params, context: SqlContext): FilterSql {
  switch (filter.type) {
    case "everything":
      return EVERYTHING;
    case "and":
    case "or": {
      const parts = filter.items.map((item) => filterToSql(item, params, context));
      return { text: `(${parts.map((p) => p.text).join(` ${filter.type} `)})`, exact: parts.every((p) => p.exact) };
    }
    case "not":
      return params.negated(() => filterToSql(filter.item, params, context));
    case "after":
      return undecided(filter);
    case "compare": {
      const positive = () => comparisonToSql(filter, params, context);
      return filter.negated ? params.negated(positive) : positive();
    }
  }
}

/** `is not true`, so that a missing value negates as in memory. What may be too wide cannot be turned round. */
function negate(part: FilterSql): FilterSql {
  return part.exact ? { text: `((${part.text}) is not true)`, exact: true } : UNDECIDED;
}

function comparisonToSql(written: Comparison, params: Params, context: SqlContext): FilterSql {
  const node = spelledOut(written, context.directory);
  // what stands in a place of a shape is read from the text, by core
  if (node.place !== undefined) return UNDECIDED;
  if (node.field === "data") return dataToSql(node, node.dataName ?? "", params);
  const column = FIELDS_OF[context.shape ?? "record"][node.field];
  switch (column.is) {
    case "data":
      return dataToSql(node, column.name, params);
    case "text":
      return textToSql(node, column, params);
    case "sender": {
      const ids = senderIds(node.test, context.directory);
      // one sender by equality: only then does the index on (sender, time, id) give a page in order
      return exact(
        ids.length === 1
          ? `r.sender = ${params.add(ids[0], "::int")}`
          : `r.sender = any(${params.add(ids, "::int[]")})`,
      );
    }
    case "index":
      if (node.test.op === "present") return exact(`${column.sql} is not null`);
      // segments of records hold no flows: said here, the database need not find out row by row
      if (node.field === "kind" && node.test.op === "oneOf" && context.shape === "record")
        if (node.test.values.every((v) => v === "flow")) return exact("false");
      // one by equality: only then does the index on (kind, time, id) give a page in order
      if (node.field === "kind" && node.test.op === "oneOf" && node.test.values.length === 1)
        return exact(`${column.sql} = ${params.add(column.names.indexOf(node.test.values[0]!), "::int")}`);
      if (node.test.op === "oneOf")
        return exact(
          `${column.sql} = any(${params.add(
            node.test.values.map((v) => column.names.indexOf(v)),
            "::int[]",
          )})`,
        );
      break;
    case "marks":
      if (node.test.op === "present") return exact("r.marks <> 0");
      if (node.test.op === "oneOf") return exact(`(r.marks & ${params.add(bitsOf(node.test.values), "::int")}) <> 0`);
      break;
    case "address":
      return addressToSql(node, column, params);
    case "number":
      return numberToSql(node, column.sql, params, context);
    case "ports": {
      const sides = ["r.src_port", "r.dst_port"].map((sql) => numberToSql(node, sql, params, context).text);
      return exact(`(${sides.join(" or ")})`);
    }
    case "application":
      return applicationToSql(node, column, params, context);
  }
  throw new Error(`${node.field} ${node.test.op}: the parser lets none through`);
}

const exact = (text: string): FilterSql => ({ text, exact: true });
const bitsOf = (names: readonly string[]): number =>
  names.reduce((bits, name) => bits | (1 << (MARKS as readonly string[]).indexOf(name)), 0);

function numberToSql(node: Comparison, sql: string, params: Params, context: SqlContext): FilterSql {
  const { test } = node;
  switch (test.op) {
    case "present":
      return exact(`${sql} is not null`);
    case "severity":
      return exact(`${sql} = any(${params.add(test.values, "::int[]")})`);
    case "last":
      return exact(`${sql} >= ${params.add(context.nowUs - test.us, "::bigint")}`);
    case "ranges":
      if (test.ranges.length > 1 && test.ranges.every(([from, to]) => from === to))
        return exact(
          `${sql} = any(${params.add(
            test.ranges.map(([from]) => String(from)),
            "::bigint[]",
          )})`,
        );
      return exact(
        `(${test.ranges
          .map(([from, to]) => {
            // an empty range, such as "under 0", holds nothing
            if (from > to) return "false";
            const parts = [];
            if (from !== Number.NEGATIVE_INFINITY) parts.push(`${sql} >= ${params.add(from, "::bigint")}`);
            if (to !== Number.POSITIVE_INFINITY) parts.push(`${sql} <= ${params.add(to, "::bigint")}`);
            return `(${parts.length === 0 ? `${sql} is not null` : parts.join(" and ")})`;
          })
          .join(" or ")})`,
      );
    default:
      throw new Error(`${node.field} ${test.op}: the parser lets none through`);
  }
}

/** What its exporter said, else the first own name that fits, else the name of the lower port, else that of the higher (core's `Applications`). */
function applicationToSql(
  node: Comparison,
  { said, traffic }: Extract<Column, { is: "application" }>,
  params: Params,
  context: SqlContext,
): FilterSql {
  const { own, ports } = context.directory.applications.where(node, valueTest(node, context));
  const bySaying = node.test.op === "present" ? exact("true") : valueToSql(node, said, true, params);
  const low = "least(r.src_port, r.dst_port)";
  const high = "greatest(r.src_port, r.dst_port)";
  const registered = [...ports].flatMap(([protocol, { passing, others }]) => {
    if (passing.length === 0) return [];
    const some = params.add(passing, "::int[]");
    const named = params.add([...passing, ...others], "::int[]");
    return [
      `(r.protocol = ${protocol} and (${low} = any(${some}) or (not ${low} = any(${named}) and ${high} = any(${some}))))`,
    ];
  });
  const otherwise = registered.length === 0 ? "false" : `coalesce(${registered.join(" or ")}, false)`;
  const made =
    own.length === 0
      ? otherwise
      : `case ${own.map(({ application, passes }) => `when ${fitsSql(application, params)} then ${passes}`).join(" ")} else ${otherwise} end`;
  return {
    text: `((${said} is not null and ${bySaying.text}) or (${said} is null and ${traffic} and ${made}))`,
    exact: bySaying.exact,
  };
}

function fitsSql({ protocol, lowPort, highPort, network }: OwnApplication, params: Params): string {
  const parts: string[] = [];
  const either = (columns: readonly string[], test: string) =>
    parts.push(`(${columns.map((c) => `${c} ${test}`).join(" or ")})`);
  if (protocol !== null) parts.push(`r.protocol = ${params.add(protocol, "::int")}`);
  if (lowPort !== null)
    either(
      ["r.src_port", "r.dst_port"],
      `between ${params.add(lowPort, "::int")} and ${params.add(highPort ?? lowPort, "::int")}`,
    );
  if (network !== null) either(["r.src", "r.dst"], `<<= ${params.add(formatNetwork(network), "::inet")}`);
  return parts.length === 0 ? "false" : parts.join(" and ");
}

function addressToSql(node: Comparison, column: Extract<Column, { is: "address" }>, params: Params): FilterSql {
  const { test } = node;
  if (test.op === "present")
    return exact(
      `(${[...column.columns.map((c) => `${c} is not null`), ...(column.list ? [`${column.list} is not null`] : [])].join(" or ")})`,
    );
  if (test.op !== "networks") throw new Error(`${node.field} ${test.op}: the parser lets none through`);
  const isSingle = ({ bits, family }: Network) => bits === (family === 4 ? 32 : 128);
  const texts = (networks: readonly Network[]) => networks.map(formatNetwork);
  const [singles, blocks] = [texts(test.networks.filter(isSingle)), texts(test.networks.filter((n) => !isSingle(n)))];
  const within: ((column: string) => string)[] = [];
  // one by itself: only then does an index on the column serve
  if (singles.length === 1) {
    const value = params.add(singles[0], "::inet");
    within.push((c) => `${c} = ${value}`);
  } else if (singles.length > 0) {
    const values = params.add(singles, "::inet[]");
    within.push((c) => `${c} = any(${values})`);
  }
  if (blocks.length === 1) {
    const value = params.add(blocks[0], "::inet");
    within.push((c) => `${c} <<= ${value}`);
  } else if (blocks.length > 0) {
    const values = params.add(blocks, "::inet[]");
    within.push((c) => `exists (select from unnest(${values}) b where ${c} <<= b)`);
  }
  // of a list with nothing in it
  if (within.length === 0) return exact("false");
  const tests = within.flatMap((one) => [
    ...column.columns.map(one),
    ...(column.list ? [`exists (select from unnest(${column.list}) a where ${one("a")})`] : []),
  ]);
  return exact(`(${tests.join(" or ")})`);
}

function textToSql(node: Comparison, column: Extract<Column, { is: "text" }>, params: Params): FilterSql {
  if (node.test.op === "present") return exact(`${column.sql} is not null`);
  if (!column.many) return valueToSql(node, column.sql, column.folds, params);
  const inner = valueToSql(node, "v", column.folds, params);
  return { text: `exists (select from unnest(${column.sql}) v where ${inner.text})`, exact: inner.exact };
}

function dataToSql(node: Comparison, dataName: string, params: Params): FilterSql {
  const name = params.add(dataName, "::text");
  const oids = node.dataOids?.flatMap((oid) => [oid, `${oid}.%`]) ?? [];
  const isOf = oids.length === 0 ? "" : ` or p->>0 like any(${params.add(oids, "::text[]")})`;
  const named = `(p->>0 = ${name} or right(p->>0, length(${name}) + 1) = ' ' || ${name}${isOf})`;
  const inner = node.test.op === "present" ? exact("true") : valueToSql(node, "(p->>1)", true, params);
  return {
    text: `exists (select from jsonb_array_elements(r.data) p where ${named} and ${inner.text})`,
    exact: inner.exact,
  };
}

/** A test on one text value. `lower(… collate "C")` is core's fold; strpos, since planners leave it alone. */
function valueToSql(node: Comparison, sql: string, folds: boolean, params: Params): FilterSql {
  const { test } = node;
  const value = folds ? `lower(${sql} collate "C")` : `${sql} collate "C"`;
  const wanted = (text: string) => (folds ? fold(text) : text);
  switch (test.op) {
    case "oneOf":
      return exact(`${value} = any(${params.add(test.values.map(wanted), "::text[]")})`);
    case "domains": {
      const domains = params.add(test.domains.map(fold), "::text[]");
      const lower = `lower(${sql} collate "C")`;
      return exact(
        `exists (select from unnest(${domains}) d where ${lower} = d or right(${lower}, length(d) + 1) = '.' || d)`,
      );
    }
    case "has": {
      const text = `strpos(${value}, ${params.add(wanted(test.value), "::text")}) > 0`;
      return { text, exact: test.mode === "part" || test.mode === "phrase" };
    }
    case "like":
      return exact(`${value} like ${params.add(likePattern(wanted(test.pattern)), "::text")}`);
    case "amount": {
      const number = `substring(${sql} from ${params.add(LEADING_NUMBER_SQL, "::text")})::numeric`;
      const bounds = [
        ...(Number.isFinite(test.from)
          ? [`${number} ${test.withFrom ? ">=" : ">"} ${params.add(String(test.from), "::numeric")}`]
          : []),
        ...(Number.isFinite(test.to)
          ? [`${number} ${test.withTo ? "<=" : "<"} ${params.add(String(test.to), "::numeric")}`]
          : []),
      ];
      return exact(`(${bounds.join(" and ")})`);
    }
    case "matches":
      // whatever it matches holds these; whether it matches, core decides
      return {
        text: `(${[
          `${sql} is not null`,
          ...requiredLiterals(test.source, folds).map(
            (clause) =>
              `(${clause.map((literal) => `strpos(${value}, ${params.add(literal, "::text")}) > 0`).join(" or ")})`,
          ),
        ].join(" and ")})`,
        exact: false,
      };
    default:
      throw new Error(`${node.field} ${test.op}: the parser lets none through`);
  }
}

/** `*` and `?` to SQL's `%` and `_`, everything else literal. */
const likePattern = (pattern: string): string =>
  pattern
    .replace(/[\\%_]/g, "\\$&")
    .replaceAll("*", "%")
    .replaceAll("?", "_");

/** Whether a filter asks only for what rollups hold, and so can be counted from them. */
export function fromRollups(filter: Filter): boolean {
  switch (filter.type) {
    case "everything":
      return true;
    case "and":
    case "or":
      return filter.items.every(fromRollups);
    case "not":
      return fromRollups(filter.item);
    case "after":
      return undecided(filter);
    case "compare":
      return filter.field !== "data" && ["severity", "kind", "sender"].includes(field(filter.field).name);
  }
}
