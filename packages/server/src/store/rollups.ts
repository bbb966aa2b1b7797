import { KINDS } from "@halvik/core/record";
import { US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/time";
import type { Queryable } from "./pool.js";
import type { StoredContent } from "./record-columns.js";

/** Levels of rollup, finest first. Buckets are numbers of whole widths since the epoch; they go by `time`. */
export const ROLLUP_LEVELS = [
  { table: "rollup_minute", widthUs: US_PER_MINUTE, bySender: false },
  { table: "rollup_five_minutes", widthUs: 5 * US_PER_MINUTE, bySender: true },
  { table: "rollup_hour", widthUs: US_PER_HOUR, bySender: true },
] as const;

/** Sums a batch in memory, so that each level is written once per flush. */
export class RollupSums {
  private readonly minute = new Map<string, number>();
  private readonly bySender = new Map<string, number>();

  add({ sender, content }: StoredContent): void {
    const kind = KINDS.indexOf(content.kind);
    const minute = Math.floor(content.timeUs / US_PER_MINUTE);
    increase(this.minute, `${minute} ${kind} ${content.severity}`);
    increase(this.bySender, `${Math.floor(minute / 5)} ${sender} ${kind} ${content.severity}`);
  }

  async write(db: Queryable): Promise<void> {
    if (this.minute.size === 0) return;
    await upsert(db, "rollup_minute", ["bucket", "kind", "severity"], this.minute);
    await upsert(db, "rollup_five_minutes", ["bucket", "sender", "kind", "severity"], this.bySender);
    const hours = new Map<string, number>();
    for (const [key, count] of this.bySender) {
      const space = key.indexOf(" ");
      increase(hours, `${Math.floor(Number(key.slice(0, space)) / 12)}${key.slice(space)}`, count);
    }
    await upsert(db, "rollup_hour", ["bucket", "sender", "kind", "severity"], hours);
  }
}

function increase(map: Map<string, number>, key: string, by = 1): void {
  map.set(key, (map.get(key) ?? 0) + by);
}

async function upsert(
  db: Queryable,
  table: string,
  columns: readonly string[],
  sums: ReadonlyMap<string, number>,
): Promise<void> {
  const rows = [...sums].map(([key, count]) => [...key.split(" ").map(Number), count]);
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
