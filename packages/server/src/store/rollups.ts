import { US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { KINDS } from "@halvik/core/model/record";
import type { Queryable } from "../kernel/db/pool.js";
import type { StoredContent } from "./record-columns.js";

/** Levels of rollup, finest first. Buckets are numbers of whole widths since the epoch; they go by `time`. */
export const ROLLUP_LEVELS = [
  { table: "rollup_minute", widthUs: US_PER_MINUTE, bySender: false },
  { table: "rollup_five_minutes", widthUs: 5 * US_PER_MINUTE, bySender: true },
  { table: "rollup_hour", widthUs: US_PER_HOUR, bySender: true },
] as const;

// keys are numbers, bucket × sender × kind × severity, since a string for each record costs more than the sum
const SEVERITIES = 8;
const KIND_SLOTS = 16;
// with 2^22 sender ids the product stays below 2^53 until the year 2129
const SENDER_SLOTS = 2 ** 22;

/** Sums a batch in memory, so that each level is written once per flush. */
export class RollupSums {
  private readonly minute = new Map<number, number>();
  private readonly bySender = new Map<number, number>();

  add({
    sender,
    content,
  }: Pick<StoredContent, "sender"> & {
    content: Pick<StoredContent["content"], "kind" | "severity" | "timeUs">;
  }): void {
    const kindAndSeverity = KINDS.indexOf(content.kind) * SEVERITIES + content.severity;
    const minute = Math.floor(content.timeUs / US_PER_MINUTE);
    increase(this.minute, minute * KIND_SLOTS * SEVERITIES + kindAndSeverity);
    increase(
      this.bySender,
      (Math.floor(minute / 5) * SENDER_SLOTS + sender) * KIND_SLOTS * SEVERITIES + kindAndSeverity,
    );
  }

  write(db: Queryable): Promise<void> {
    return this.each((table, columns, rows) => upsert(db, table, columns, rows));
  }

  /** Takes out again what records had added that are removed. */
  takeOut(db: Queryable): Promise<void> {
    return this.each((table, columns, rows) => subtract(db, table, columns, rows));
  }

  private async each(
    put: (table: string, columns: readonly string[], rows: readonly (readonly number[])[]) => Promise<void>,
  ): Promise<void> {
    if (this.minute.size === 0) return;
    const minutes = [...this.minute].map(([key, count]) => {
      const rest = key % (KIND_SLOTS * SEVERITIES);
      return [Math.floor(key / (KIND_SLOTS * SEVERITIES)), Math.floor(rest / SEVERITIES), rest % SEVERITIES, count];
    });
    const fives = [...this.bySender].map(([key, count]) => {
      const rest = key % (KIND_SLOTS * SEVERITIES);
      const upper = Math.floor(key / (KIND_SLOTS * SEVERITIES));
      return [
        Math.floor(upper / SENDER_SLOTS),
        upper % SENDER_SLOTS,
        Math.floor(rest / SEVERITIES),
        rest % SEVERITIES,
        count,
      ];
    });
    await put("rollup_minute", ["bucket", "kind", "severity"], minutes);
    await put("rollup_five_minutes", ["bucket", "sender", "kind", "severity"], fives);
    await put("rollup_hour", ["bucket", "sender", "kind", "severity"], inHours(fives));
  }
}

function inHours(fives: readonly (readonly number[])[]): number[][] {
  const sums = new Map<string, number[]>();
  for (const [bucket, sender, kind, severity, count] of fives) {
    const hour = Math.floor(bucket! / 12);
    const key = `${hour} ${sender} ${kind} ${severity}`;
    const known = sums.get(key);
    if (known) known[4]! += count!;
    else sums.set(key, [hour, sender!, kind!, severity!, count!]);
  }
  return [...sums.values()];
}

function increase(map: Map<number, number>, key: number): void {
  map.set(key, (map.get(key) ?? 0) + 1);
}

async function upsert(
  db: Queryable,
  table: string,
  columns: readonly string[],
  rows: readonly (readonly number[])[],
): Promise<void> {
  const arrays = [...columns, "count"].map((_, i) => rows.map((row) => row[i]!));
  const unnest = arrays.map((_, i) => `$${i + 1}::bigint[]`).join(", ");
  const names = [...columns, "count"].join(", ");
  // one order for all writers, so that two collectors cannot deadlock
  const order = columns.map((_, i) => i + 1).join(", ");
  await db.query(
    `insert into ${table} as t (${names}) select * from unnest(${unnest}) order by ${order} on conflict (${columns.join(", ")}) do update set count = t.count + excluded.count`,
    arrays,
  );
}

async function subtract(
  db: Queryable,
  table: string,
  columns: readonly string[],
  rows: readonly (readonly number[])[],
): Promise<void> {
  const arrays = [...columns, "count"].map((_, i) => rows.map((row) => row[i]!));
  const unnest = arrays.map((_, i) => `$${i + 1}::bigint[]`).join(", ");
  const same = columns.map((c) => `t.${c} = s.${c}`).join(" and ");
  await db.query(
    `update ${table} t set count = t.count - s.count from unnest(${unnest}) as s (${[...columns, "count"].join(", ")}) where ${same}`,
    arrays,
  );
  // as if nothing had been counted there
  await db.query(
    `delete from ${table} t using unnest(${unnest}) as s (${[...columns, "count"].join(", ")}) where ${same} and t.count <= 0`,
    arrays,
  );
}

/** Records of all kinds and senders of whole hours that begin in [fromUs, toUs), by `time`. */
export async function recordsWithin(db: Queryable, fromUs: number, toUs: number): Promise<number> {
  const { rows } = await db.query<{ n: number }>(
    "select coalesce(sum(count), 0)::float8 as n from rollup_hour where bucket >= $1 and bucket < $2",
    [Math.ceil(fromUs / US_PER_HOUR), Math.ceil(toUs / US_PER_HOUR)],
  );
  return rows[0]!.n;
}
