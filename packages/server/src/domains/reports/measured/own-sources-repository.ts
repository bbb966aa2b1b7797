import type { EpochUs } from "@halvik/core/base/time";
import { SEVERITIES } from "@halvik/core/model/record";
import type { MeasuredRow, OWN_SOURCES, OwnFigureOf, OwnMeasure, OwnSource } from "@halvik/core/query/measure";
import type { Window } from "@halvik/core/report";
import type { Queryable } from "../../../kernel/db/pool.js";

/** How a source of Halvik's own is read: SQL of ours alone, chosen by names that the schema of a measure has checked. */
interface SourceSql {
  readonly from: string;
  /** The moment of an entry, µs; of what tells of this moment, none. */
  readonly at: string | null;
  readonly by: Readonly<Record<string, string>>;
  readonly numbers: Readonly<Record<string, string>>;
  /** Whose value is a list: an entry counts under each of them. */
  readonly many?: readonly string[];
}
/** The same with every name that its source is told by, but for the clock's, which all have. */
interface SourceSqlOf<S extends OwnSource> extends SourceSql {
  readonly by: Readonly<Record<Exclude<(typeof OWN_SOURCES)[S]["by"][number], "hour of day" | "day of week">, string>>;
  readonly numbers: Readonly<Record<keyof (typeof OWN_SOURCES)[S]["numbers"], string>>;
}

const SEVERITY = `(array[${SEVERITIES.map((s) => `'${s}'`).join(", ")}])[severity + 1]`;
const seconds = (to: string, from: string) => `(${to} - ${from}) / 1e6`;
const ruleName = (id: string) => `coalesce((select body->>'name' from rule where rule.id = ${id}), ${id})`;
const YES_NO = (condition: string) => `case when ${condition} then 'yes' else 'no' end`;

/** Sources whose entries stand in tables; traffic has sums of its own. */
type TableSource = Exclude<OwnSource, "traffic">;
export type TableMeasure = OwnMeasure & { readonly source: TableSource };
export const isOfTables = (asked: OwnMeasure): asked is TableMeasure => asked.source !== "traffic";

const SOURCES: { readonly [S in TableSource]: SourceSqlOf<S> } = {
  incidents: {
    from: "(select * from incident where merged_into is null and not folded) e",
    at: "raised_us",
    by: {
      severity: SEVERITY,
      rule: ruleName("e.rule_id"),
      state: "state",
      "closed as": "close_reason",
      owner: "owner",
      "acknowledged by": "acknowledged_by",
    },
    numbers: {
      "time to acknowledge": seconds("acknowledged_us", "raised_us"),
      "time to end": seconds("ended_us", "raised_us"),
      records: "count",
    },
  },
  findings: {
    from: "(select f.*, i.severity from finding f left join incident i on i.id = f.incident where f.merged_into is null) e",
    at: "raised_us",
    by: { rule: ruleName("e.rule_id"), severity: SEVERITY },
    numbers: { "time to clear": seconds("cleared_us", "raised_us"), records: "count" },
  },
  notifications: {
    from: `(select distinct on (d.message) d.*, coalesce((select body->>'name' from (select id, body from notify_channel) c where c.id = d.channel), case when d.channel is null then 'mail' else 'a channel that is gone' end) as way
            from delivery d where tells <> 'test' order by d.message, d.id) e`,
    at: "made_us",
    by: { notification: "route_name", way: "way", person: "recipients", state: "state", tells: "tells" },
    numbers: {
      "time to deliver": `case when state = 'sent' then ${seconds("ended_us", "made_us")} end`,
      attempts: "attempts",
    },
    many: ["person"],
  },
  // whoever was refused wrote what they liked as their name, and some write their password there
  audit: {
    from: "(select at_us, what, case when what = 'sign-in refused' then 'nobody' else who end as who from audit) e",
    at: "at_us",
    by: { who: "who", what: "what" },
    numbers: {},
  },
  "arrival rules": {
    from: "(select u.*, hour * 3600000000::bigint as at_us, (select body->>'name' from arrival_rule r where r.id = u.rule) as name from arrival_rule_use u) e",
    at: "at_us",
    by: { rule: "coalesce(name, 'rule ' || rule)" },
    numbers: { met: "met", dropped: "dropped", "bytes dropped": "bytes" },
  },
  intake: {
    from: "(select h.*, hour * 3600000000::bigint as at_us, s.name, s.site from sender_hour h join sender s on s.id = h.sender) e",
    at: "at_us",
    by: { sender: "name", site: "site", "way in": "endpoint" },
    numbers: {
      records: "records",
      bytes: "bytes",
      "not readable": "problems",
      late: "late",
      "sent twice": "copies",
      "over the cap": "capped",
      "clock offset": "greatest(abs(offset_least_us), abs(offset_most_us)) / 1e6",
    },
  },
  senders: {
    from: "(select s.*, a.*, q.since_us from sender s left join sender_activity a on a.sender = s.id left join sender_silence q on q.sender = s.id) e",
    at: null,
    by: {
      sender: "name",
      site: "site",
      group: "groups",
      role: "role",
      state: "state",
      silent: YES_NO("since_us is not null"),
    },
    numbers: {
      records: "records",
      bytes: "bytes",
      "not readable": "problems",
      late: "late",
      "over the cap": "capped",
      "sent twice": "copies",
      "clock offset": "abs(clock_offset_us) / 1e6",
      "silent for": `greatest(0, ${seconds("$1::bigint", "since_us")})`,
    },
    many: ["group"],
  },
  store: {
    from: "(select *, pg_total_relation_size(to_regclass('segments.' || quote_ident(name))) as bytes from segment) e",
    at: null,
    by: {
      kind: "kind",
      state: "state",
      "kept for": "case when keep_days is null then 'as long as all' else keep_days || ' days' end",
    },
    numbers: {
      records: "rows",
      bytes: "bytes",
      "days since the oldest": `${seconds("$1::bigint", "min_time")} / 86400`,
    },
  },
};

const AGGREGATES = {
  sum: (n: string) => `sum(${n})::float8`,
  average: (n: string) => `avg(${n})::float8`,
  least: (n: string) => `min(${n})::float8`,
  greatest: (n: string) => `max(${n})::float8`,
  p50: (n: string) => `(percentile_disc(0.5) within group (order by ${n}))::float8`,
  p95: (n: string) => `(percentile_disc(0.95) within group (order by ${n}))::float8`,
  p99: (n: string) => `(percentile_disc(0.99) within group (order by ${n}))::float8`,
} as const;

export interface OwnMeasured {
  readonly rows: readonly MeasuredRow[];
  readonly total: MeasuredRow;
}

/**
 * Measures entries of an own source: whole and by its groupings, over steps where there are some.
 * @param steps their beginnings, ascending, and the end of the last; what tells of this moment has none
 * @param zone by whose clock hours and days are told
 */
export async function measureOwn(
  db: Queryable,
  asked: TableMeasure,
  window: Window,
  steps: readonly EpochUs[] | null,
  zone: string,
  nowUs: EpochUs,
): Promise<OwnMeasured> {
  const over = { asked, window, steps: SOURCES[asked.source].at === null ? null : steps, zone, nowUs };
  const count = over.steps === null ? 0 : over.steps.length - 1;
  const ask = async (by: readonly string[]) => {
    const { text, values } = statement(over, by);
    return rowsOf((await db.query<Row>(text, values)).rows, by.length, count);
  };
  const nothing = { keys: [], value: asked.figure.of === "count" ? 0 : null, records: 0, exact: true };
  const total = (await ask([]))[0] ?? { ...nothing, steps: new Array<null>(count).fill(null) };
  return { rows: asked.by.length === 0 ? [] : await ask(asked.by), total };
}

interface Over {
  readonly asked: TableMeasure;
  readonly window: Window;
  readonly steps: readonly EpochUs[] | null;
  readonly zone: string;
  readonly nowUs: EpochUs;
}

function statement({ asked, window, steps, zone, nowUs }: Over, by: readonly string[]) {
  const source: SourceSql = SOURCES[asked.source];
  // $1 is the present for what tells of it, else the beginning
  const values: unknown[] = source.at === null ? [nowUs] : [window.fromUs, window.toUs];
  const param = (value: unknown): string => `$${values.push(value)}`;
  const local = () => `to_timestamp(${source.at} / 1e6) at time zone ${param(zone)}`;
  const told = (name: string): string =>
    name === "hour of day"
      ? `to_char(${local()}, 'HH24')`
      : name === "day of week"
        ? `(extract(isodow from ${local()})::int - 1)`
        : source.by[name]!;
  const isMany = (name: string) => source.many?.includes(name) ?? false;
  const onlyWith = (only: OwnMeasure["only"]): string[] =>
    only.map(({ by: name, is }) => {
      if (is.length === 0) return `${told(name)} is not null`;
      const values = `${param(is)}::text[]`;
      return isMany(name) ? `${told(name)} && ${values}` : `(${told(name)})::text = any(${values})`;
    });
  const keys = by.map((name, i) =>
    isMany(name)
      ? { value: `k${i}.v`, join: ` cross join lateral unnest(${told(name)}) as k${i}(v)` }
      : { value: `(${told(name)})::text`, join: "" },
  );
  const names = by.map((_, i) => `key${i}`);
  const columns = [
    ...keys.map((k, i) => `${k.value} as key${i}`),
    steps === null ? "0 as bucket" : `width_bucket(${source.at}, ${param(steps)}::bigint[]) as bucket`,
    "e.*",
  ];
  const inWindow = source.at === null ? "$1::bigint is not null" : `${source.at} >= $1 and ${source.at} < $2`;
  const inner = `select ${columns.join(", ")} from ${source.from}${keys.map((k) => k.join).join("")} where ${[inWindow, ...onlyWith(asked.only)].join(" and ")}`;
  const whole = `(${names.join(", ")})`;
  const sets = steps === null ? whole : `${whole}, (${[...names, "bucket"].join(", ")})`;
  const text = `select ${[...names, steps === null ? "null::int as bucket" : "case when grouping(bucket) = 0 then bucket end as bucket"].join(", ")}, (${aggregate(asked.figure, source, onlyWith)})::float8 as value, count(*)::int as n
    from (${inner}) e ${names.length === 0 ? "" : `where ${names.map((n) => `${n} is not null`).join(" and ")}`} group by grouping sets (${sets})`;
  return { text, values };
}

function aggregate(
  figure: OwnFigureOf,
  { numbers }: SourceSql,
  onlyWith: (only: OwnMeasure["only"]) => string[],
): string {
  if (figure.of === "count") return "count(*)";
  if (figure.of === "share")
    return `100.0 * count(*) filter (where ${onlyWith(figure.only).join(" and ")}) / nullif(count(*), 0)`;
  return AGGREGATES[figure.of](numbers[figure.number]!);
}

type Row = { readonly bucket: number | null; readonly value: number | null; readonly n: number } & {
  readonly [key: `key${number}`]: string;
};

/** Rows of the database, whole ones and those of steps, put together by their keys. */
function rowsOf(found: readonly Row[], groupings: number, steps: number): MeasuredRow[] {
  const keysOf = (row: Row) => Array.from({ length: groupings }, (_, i) => row[`key${i}`]!);
  const byKeys = new Map<string, (number | null)[]>();
  for (const row of found) {
    if (row.bucket === null) continue;
    const name = JSON.stringify(keysOf(row));
    const course = byKeys.get(name) ?? new Array<number | null>(steps).fill(null);
    course[row.bucket - 1] = row.value;
    byKeys.set(name, course);
  }
  return found
    .filter((row) => row.bucket === null)
    .map((row) => {
      const keys = keysOf(row);
      return {
        keys,
        value: row.value,
        records: row.n,
        exact: true,
        steps: byKeys.get(JSON.stringify(keys)) ?? new Array<null>(steps).fill(null),
      };
    });
}
