import { US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { addCounts, type Count, MAX_COUNT } from "@halvik/core/model/record";
import { servicePort } from "@halvik/core/traffic";
import type { Queryable } from "../kernel/db/pool.js";
import type { StoredContent } from "./record-columns.js";

/** What of a stored flow is summed. */
export type FlowFacts = Pick<StoredContent, "sender" | "content">;

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
  readonly key: (r: FlowFacts) => number | string | null;
  readonly parts: (r: FlowFacts) => readonly (number | string)[];
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
export async function writeFlowRollups(db: Queryable, records: readonly FlowFacts[]): Promise<number> {
  const flows = records.filter((r) => r.content.flow !== null);
  let full = 0;
  if (flows.length > 0) for (const rollup of ROLLUPS) full += await add(db, rollup, sumUp(rollup, flows));
  return full;
}

/** Takes out again what flows had added that are removed. A sum that says "at least" goes on saying so. */
export async function takeFromFlowRollups(db: Queryable, records: readonly FlowFacts[]): Promise<void> {
  const flows = records.filter((r) => r.content.flow !== null);
  if (flows.length === 0) return;
  for (const rollup of ROLLUPS) {
    const { table } = rollup;
    const { names, types, arrays } = asArrays(rollup, sumUp(rollup, flows));
    const left = (c: string) =>
      `${c} = case when t.${c} = ${MAX_COUNT} then t.${c} else greatest(0, t.${c} - s.${c}) end`;
    await db.query(
      `update ${table} t set ${["flows", "bytes", "packets"].map(left).join(", ")}
       from unnest(${types.map((type, i) => `$${i + 1}::${type}[]`).join(", ")}) as s (${[...names, "flows", "bytes", "packets"].join(", ")})
       where ${names.map((n) => `t.${n} = s.${n}`).join(" and ")}`,
      arrays,
    );
  }
}

function sumUp({ widthUs, key, parts }: Rollup, flows: readonly FlowFacts[]): Sum[] {
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

/** Sums as one array a column, for `unnest`. */
function asArrays({ columns }: Rollup, sums: readonly Sum[]) {
  return {
    names: ["bucket", ...columns.map(([name]) => name)],
    types: ["integer", ...columns.map(([, sql]) => sql), "bigint", "bigint", "bigint"],
    arrays: [
      ...["bucket", ...columns].map((_, i) => sums.map((s) => s.parts[i])),
      sums.map((s) => s.flows),
      // a bigint as its digits: the driver writes numbers only
      sums.map((s) => String(s.bytes)),
      sums.map((s) => String(s.packets)),
    ],
  };
}

async function add(db: Queryable, rollup: Rollup, sums: readonly Sum[]): Promise<number> {
  if (sums.length === 0) return 0;
  const { table } = rollup;
  const { names, types, arrays } = asArrays(rollup, sums);
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
