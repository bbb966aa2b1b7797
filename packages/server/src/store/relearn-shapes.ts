import type { HalvikRecord } from "@halvik/core/model/record";
import { Relearning, type Relearnt } from "@halvik/core/shapes";
import { type Client, type Queryable, transaction } from "../kernel/db/pool.js";
import { readRows, selectFrom } from "./record-rows.js";
import { keyHash, mergedShapes } from "./shapes.js";

const READ_AT_ONCE = 5_000;

/** Learns shapes anew from the records that are kept of a stretch of time, segment by segment in the order they were stored. */
export async function relearnShapes(db: Queryable, fromUs: number): Promise<Relearnt> {
  const standing = new Map<number, number>();
  for (const [root, parts] of await mergedShapes(db)) for (const part of parts) standing.set(part, root);
  const relearning = new Relearning();
  const { rows: segments } = await db.query<{ name: string }>(
    "select name from segment where shape = 'record' and max_time >= $1 order by min_id, name",
    [fromUs],
  );
  for (const { name } of segments) {
    let last = "0";
    for (;;) {
      const { rows } = await db.query(
        `${selectFrom(name)} where r.id > $1::bigint and r.time >= $2 order by r.id limit ${READ_AT_ONCE}`,
        [last, fromUs],
      );
      const records: HalvikRecord[] = readRows(name, rows);
      for (const record of records)
        relearning.add(record, record.shape === null ? null : (standing.get(record.shape) ?? record.shape));
      if (records.length < READ_AT_ONCE) break;
      last = records[records.length - 1]!.id;
    }
  }
  return relearning.result();
}

/** Puts what was learnt anew in the place of what it maps to. Collectors take it over as they take what others learn. */
export async function applyRelearnt(client: Client, { kept, merged, fresh }: Relearnt, nowUs: number): Promise<void> {
  await transaction(client, async () => {
    // no shape is in the way of another that comes to read as it did
    await client.query(
      "update shape set key_hash = sha256(convert_to('relearnt ' || id, 'UTF8')) where id = any($1::int[]) and into_shape is null",
      [kept.map((k) => k.old)],
    );
    for (const { shape, old } of kept) shape.id = old;
    for (const { old, into } of merged)
      if (into.id !== 0 && into.id !== old)
        await client.query(
          "update shape set into_shape = $2, changed_us = $3 where (id = $1 or into_shape = $1) and id <> $2",
          [old, into.id, nowUs],
        );
    for (const { shape } of kept) await putOrJoin(client, shape.id, shape, nowUs);
    for (const shape of fresh) {
      const { rows } = await client.query<{ id: number }>(
        `insert into shape (origin, tokens, numbers, version, key_hash, first_us, last_us, changed_us)
         values ($1, $2::jsonb, $3::jsonb, $4, $5, $6, $6, $6) on conflict do nothing returning id`,
        [
          shape.origin,
          JSON.stringify(shape.tokens),
          JSON.stringify(shape.numbers),
          shape.version,
          keyHash(shape),
          nowUs,
        ],
      );
      shape.id = rows[0]?.id ?? 0;
    }
    for (const { old, into } of merged)
      if (fresh.includes(into) && into.id !== 0)
        await client.query("update shape set into_shape = $2, changed_us = $3 where id = $1 or into_shape = $1", [
          old,
          into.id,
          nowUs,
        ]);
    await client.query("update shape_change set version = version + 1");
  });
}

/** Has a shape read anew; where one that was not looked at reads so already, it becomes part of that. */
async function putOrJoin(
  db: Queryable,
  id: number,
  shape: Relearnt["kept"][number]["shape"],
  nowUs: number,
): Promise<void> {
  const key = keyHash(shape);
  const { rows } = await db.query<{ id: number }>(
    "select id from shape where key_hash = $1 and into_shape is null and id <> $2",
    [key, id],
  );
  const other = rows[0]?.id;
  if (other !== undefined)
    await db.query("update shape set into_shape = $2, changed_us = $3 where id = $1 or into_shape = $1", [
      id,
      other,
      nowUs,
    ]);
  else
    await db.query(
      "update shape set origin = $2, tokens = $3::jsonb, numbers = $4::jsonb, version = version + 1, key_hash = $5, changed_us = $6 where id = $1",
      [id, shape.origin, JSON.stringify(shape.tokens), JSON.stringify(shape.numbers), key, nowUs],
    );
}
