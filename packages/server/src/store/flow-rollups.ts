import { addCounts, type Count, MAX_COUNT } from "@halvik/core/record";
import { US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/time";
import { servicePort } from "@halvik/core/traffic";
import type { Queryable } from "./pool.js";
import type { StoredContent } from "./record-columns.js";

/** Sums of one key: numbers in place, so that a batch of thousands of flows makes few objects. */
interface Sum {
  readonly parts: readonly (number | string)[];
  flows: number;
  bytes: Count;
  packets: Count;
}

interface Rollup {
  readonly table: string;
  readonly widthUs: number;
  readonly columns: readonly (readonly [name: string, sql: string])[];
  /** A number or text that stands for the key within its bucket, or null: this flow is not counted here. */
  readonly key: (r: StoredContent) => number | string | null;
  readonly parts: (r: StoredContent) => readonly (number | string)[];
}

const PORTS = 65_537;

/**
 * Rollups of flows, by `time`: five minutes by protocol and service port, hours by source, by destination, and by exporter
 * with its interfaces. Summed over a batch in memory, then added in one statement each.
 */
const ROLLUPS: readonly Rollup[] = [
  {
    table: "flow_service",
    widthUs: 5 * US_PER_MINUTE,
    columns: [
      ["protocol", "smallint"],
      ["port", "integer"],
    ],
    key: ({ content: c }) => (c.protocol ?? -1) * PORTS + (servicePort(c.srcPort, c.dstPort) ?? -1),
    parts: ({ content: c }) => [c.protocol ?? -1, servicePort(c.srcPort, c.dstPort) ?? -1],
  },
  {
    table: "flow_source",
    widthUs: US_PER_HOUR,
    columns: [["address", "inet"]],
    key: ({ content }) => content.src,
    parts: ({ content }) => [content.src!],
  },
  {
    table: "flow_destination",
    widthUs: US_PER_HOUR,
    columns: [["address", "inet"]],
    key: ({ content }) => content.dst,
    parts: ({ content }) => [content.dst!],
  },
  {
    table: "flow_interface",
    widthUs: US_PER_HOUR,
    columns: [
      ["sender", "integer"],
      ["ingress", "bigint"],
      ["egress", "bigint"],
    ],
    key: ({ sender, content: { flow } }) => {
      const ingress = flow?.ingress ?? -1;
      const egress = flow?.egress ?? -1;
      // indexes are mostly small: then a number does, and costs less than a text
      return ingress < 65_536 && egress < 65_536 && sender < 1_000_000
        ? (sender * PORTS + ingress + 1) * PORTS + egress + 1
        : `${sender} ${ingress} ${egress}`;
    },
    parts: ({ sender, content: { flow } }) => [sender, flow?.ingress ?? -1, flow?.egress ?? -1],
  },
];

/** @returns how many sums have reached the most there is: from there on they say "at least" */
export async function writeFlowRollups(db: Queryable, records: readonly StoredContent[]): Promise<number> {
  const flows = records.filter((r) => r.content.flow !== null);
  let full = 0;
  if (flows.length > 0) for (const rollup of ROLLUPS) full += await add(db, rollup, sumUp(rollup, flows));
  return full;
}

function sumUp({ widthUs, key, parts }: Rollup, flows: readonly StoredContent[]): Sum[] {
  // flows of a batch lie in few buckets: one map each, and no text for the pair
  const buckets = new Map<number, Map<number | string, Sum>>();
  const all: Sum[] = [];
  for (const flow of flows) {
    const k = key(flow);
    if (k === null) continue;
    const bucket = Math.floor(flow.content.timeUs / widthUs);
    let sums = buckets.get(bucket);
    if (sums === undefined) {
      sums = new Map();
      buckets.set(bucket, sums);
    }
    let sum = sums.get(k);
    if (sum === undefined) {
      sum = { parts: [bucket, ...parts(flow)], flows: 0, bytes: 0, packets: 0 };
      sums.set(k, sum);
      all.push(sum);
    }
    sum.flows++;
    sum.bytes = addCounts(sum.bytes, flow.content.bytes ?? 0);
    sum.packets = addCounts(sum.packets, flow.content.packets ?? 0);
  }
  return all;
}

async function add(db: Queryable, { table, columns }: Rollup, sums: readonly Sum[]): Promise<number> {
  if (sums.length === 0) return 0;
  const types = ["integer", ...columns.map(([, sql]) => sql), "bigint", "bigint", "bigint"];
  const names = ["bucket", ...columns.map(([name]) => name)];
  const arrays = [
    ...names.map((_, i) => sums.map((s) => s.parts[i])),
    sums.map((s) => s.flows),
    // a bigint as its digits: the driver writes numbers only
    sums.map((s) => String(s.bytes)),
    sums.map((s) => String(s.packets)),
  ];
  const { rows } = await db.query<{ full: number }>(
    // one order for all writers, so that two collectors cannot deadlock
    `with written as (insert into ${table} as t (${names.join(", ")}, flows, bytes, packets)
     select * from unnest(${types.map((type, i) => `$${i + 1}::${type}[]`).join(", ")}) order by ${names.map((_, i) => i + 1).join(", ")}
     on conflict (${names.join(", ")}) do update set flows = t.flows + excluded.flows, bytes = ${sum("bytes")}, packets = ${sum("packets")}
     returning bytes, packets) select count(*)::int as full from written where bytes = ${MAX_COUNT} or packets = ${MAX_COUNT}`,
    arrays,
  );
  return rows[0]!.full;
}

/** An addition that ends at the most a bigint holds: one exporter's absurd counters must not make every later batch fail. */
const sum = (column: "bytes" | "packets"): string =>
  `case when t.${column} > ${MAX_COUNT} - excluded.${column} then ${MAX_COUNT} else t.${column} + excluded.${column} end`;

/** The tables above, for the migration that makes them. */
export const FLOW_ROLLUP_TABLES = ROLLUPS.map(
  ({ table, columns }) =>
    `create table ${table} (bucket integer not null, ${columns.map(([name, sql]) => `${name} ${sql} not null`).join(", ")},
  flows bigint not null, bytes bigint not null, packets bigint not null,
  primary key (bucket, ${columns.map(([name]) => name).join(", ")})) with (fillfactor = 70);`,
).join("\n");
