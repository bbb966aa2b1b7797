import { US_PER_HOUR } from "@halvik/core/base/time";
import { KINDS, type RecordKind } from "@halvik/core/model/record";
import type { Queryable } from "../../kernel/db/pool.js";
import { segmentTable } from "../../store/segments.js";

/** What the tables of a shape take. */
export interface ShapeSize {
  readonly shape: "record" | "flow";
  readonly rows: number;
  readonly bytes: number;
}

/** Octets of the segments by shape, with their indexes; and of the whole database. */
export async function shapeSizes(db: Queryable): Promise<{ shapes: ShapeSize[]; bytes: number; sums: number }> {
  const { rows } = await db.query<{ shape: "record" | "flow"; rows: number; bytes: number }>(
    `select shape, coalesce(sum(rows), 0)::float8 as rows,
       coalesce(sum(pg_total_relation_size(to_regclass('segments.' || quote_ident(name)))), 0)::float8 as bytes from segment group by shape`,
  );
  const { rows: whole } = await db.query<{ bytes: number; sums: number }>(
    "select pg_database_size(current_database())::float8 as bytes, pg_total_relation_size('traffic_sum')::float8 as sums",
  );
  return {
    shapes: rows,
    ...whole[0]!,
  };
}

const SAMPLED_SEGMENTS = 4;
const SAMPLED_ROWS = 20_000;

/** Mean octets of a row by kind, of some rows of the newest segments that hold records. */
export async function rowSizes(db: Queryable): Promise<ReadonlyMap<RecordKind, { rows: number; bytes: number }>> {
  const { rows: segments } = await db.query<{ name: string }>(
    "select name from segment where shape = 'record' and rows > 0 order by max_id desc limit $1",
    [SAMPLED_SEGMENTS],
  );
  const sizes = new Map<RecordKind, { rows: number; bytes: number }>();
  for (const { name } of segments) {
    const { rows } = await db.query<{ kind: number; rows: number; bytes: number }>(
      `select kind, count(*)::float8 as rows, sum(pg_column_size(r.*))::float8 as bytes
       from (select * from ${segmentTable(name)} order by id desc limit $1) r group by kind`,
      [SAMPLED_ROWS],
    );
    for (const r of rows) {
      const kind = KINDS[r.kind]!;
      const known = sizes.get(kind) ?? { rows: 0, bytes: 0 };
      sizes.set(kind, { rows: known.rows + r.rows, bytes: known.bytes + r.bytes });
    }
  }
  return sizes;
}

/** Records of whole hours in [fromUs, toUs) by sender and kind, and by hour. */
export async function arrivals(
  db: Queryable,
  fromUs: number,
  toUs: number,
): Promise<{
  readonly bySender: readonly { readonly sender: number; readonly kind: RecordKind; readonly count: number }[];
  readonly byHour: ReadonlyMap<number, number>;
}> {
  const hours = [Math.ceil(fromUs / US_PER_HOUR), Math.floor(toUs / US_PER_HOUR)];
  const { rows: senders } = await db.query<{ sender: number; kind: number; count: number }>(
    "select sender, kind, sum(count)::float8 as count from rollup_hour where bucket >= $1 and bucket < $2 group by 1, 2",
    hours,
  );
  const { rows: perHour } = await db.query<{ bucket: number; count: number }>(
    "select bucket, sum(count)::float8 as count from rollup_hour where bucket >= $1 and bucket < $2 group by 1",
    hours,
  );
  return {
    bySender: senders.map((r) => ({ sender: r.sender, kind: KINDS[r.kind]!, count: r.count })),
    byHour: new Map(perHour.map((r) => [r.bucket, r.count])),
  };
}
