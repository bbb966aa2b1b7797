import { MAX_COUNT } from "@halvik/core/model/record";
import { LEVELS, type Level, type TrafficSum } from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";

/** The table of a level. */
export const tableOf = (level: Level): string => `traffic_${level.name}`;
export const levelNumber = (level: Level): number => LEVELS.indexOf(level);

const KEY = ["sender", "interface", "way", "dimension", "step", "value"] as const;
const AMOUNTS = ["bytes", "packets", "flows", "estimated"] as const;
const TYPES = [
  "integer",
  "bigint",
  "smallint",
  "smallint",
  "integer",
  "text",
  "bigint",
  "bigint",
  "bigint",
  "bigint",
  "integer",
];
/** Rows a statement writes at most: its text of arrays stays small. */
const ROWS = 10_000;

const arraysOf = (sums: readonly TrafficSum[]) =>
  [...KEY, ...AMOUNTS, "rate" as const].map((column) => sums.map((s) => s[column]));
const UNNEST = `unnest(${TYPES.map((type, i) => `$${i + 1}::${type}[]`).join(", ")}) as s (${[...KEY, ...AMOUNTS, "rate"].join(", ")})`;

/** Adds what was summed to what stands; each sum ends at the most a column holds. */
export async function addSums(db: Queryable, level: Level, sums: readonly TrafficSum[]): Promise<void> {
  const table = tableOf(level);
  const added = (c: string) =>
    `${c} = case when t.${c} > ${MAX_COUNT} - excluded.${c} then ${MAX_COUNT} else t.${c} + excluded.${c} end`;
  for (let i = 0; i < sums.length; i += ROWS)
    await db.query(
      `insert into ${table} as t (${[...KEY, ...AMOUNTS, "rate"].join(", ")}) select * from ${UNNEST}
       on conflict (${KEY.join(", ")}) do update set ${AMOUNTS.map(added).join(", ")}, rate = greatest(t.rate, excluded.rate)`,
      arraysOf(sums.slice(i, i + ROWS)),
    );
  await noteSteps(db, level, sums);
  await noteSources(db, level, sums);
}

/** Takes out again what flows had added that are removed; a value that was let go since is no more. */
export async function takeOutSums(db: Queryable, level: Level, sums: readonly TrafficSum[]): Promise<void> {
  const table = tableOf(level);
  const left = (c: string) =>
    `${c} = case when t.${c} = ${MAX_COUNT} then t.${c} else greatest(0, t.${c} - s.${c}) end`;
  for (let i = 0; i < sums.length; i += ROWS) {
    const arrays = arraysOf(sums.slice(i, i + ROWS));
    await db.query(
      `update ${table} t set ${AMOUNTS.map(left).join(", ")} from ${UNNEST} where ${KEY.map((k) => `t.${k} = s.${k}`).join(" and ")}`,
      arrays,
    );
    await db.query(
      `delete from ${table} t using ${UNNEST} where ${KEY.map((k) => `t.${k} = s.${k}`).join(" and ")} and t.flows = 0 and t.bytes = 0 and t.packets = 0`,
      arrays,
    );
  }
}

/** Steps that were added to: what is bounded in them is to be cut again. */
async function noteSteps(db: Queryable, level: Level, sums: readonly TrafficSum[]): Promise<void> {
  const steps = [...new Set(sums.map((s) => s.step))];
  await db.query(
    "insert into traffic_step (level, step) select $1, step from unnest($2::int[]) as s (step) on conflict do nothing",
    [levelNumber(level), steps],
  );
}

/** Which interfaces tell of traffic, by which way, from when to when. */
async function noteSources(db: Queryable, level: Level, sums: readonly TrafficSum[]): Promise<void> {
  if (levelNumber(level) !== 0) return;
  const sources = new Map<string, { sender: number; interface: number; way: number; first: number; last: number }>();
  for (const { sender, interface: iface, way, step } of sums) {
    const key = `${sender} ${iface} ${way}`;
    const known = sources.get(key) ?? { sender, interface: iface, way, first: step, last: step };
    known.first = Math.min(known.first, step);
    known.last = Math.max(known.last, step);
    sources.set(key, known);
  }
  const all = [...sources.values()];
  await db.query(
    `insert into traffic_source as t (sender, interface, way, first_us, last_us)
     select * from unnest($1::int[], $2::bigint[], $3::smallint[], $4::bigint[], $5::bigint[])
     on conflict (sender, interface, way) do update set first_us = least(t.first_us, excluded.first_us), last_us = greatest(t.last_us, excluded.last_us)`,
    [
      all.map((s) => s.sender),
      all.map((s) => s.interface),
      all.map((s) => s.way),
      all.map((s) => s.first * level.widthUs),
      all.map((s) => (s.last + 1) * level.widthUs),
    ],
  );
}
