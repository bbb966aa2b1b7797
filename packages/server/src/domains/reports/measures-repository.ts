import type { NewMeasure } from "@halvik/contract/reports";
import type { EpochUs } from "@halvik/core/base/time";
import { AnyMeasure } from "@halvik/core/query/measure";
import type * as z from "zod";
import type { Queryable } from "../../kernel/db/pool.js";

export interface KeptMeasure {
  readonly id: number;
  readonly name: string;
  readonly measure: AnyMeasure;
  readonly author: string;
  readonly changedUs: EpochUs;
}

/** Measures that are kept, by name; one that cannot be read any more is left out. */
export async function listMeasures(db: Queryable): Promise<KeptMeasure[]> {
  const { rows } = await db.query<{
    id: number;
    body: { name: string; measure: unknown };
    author: string;
    changed_us: number;
  }>("select id, body, author, changed_us from measure order by lower(body->>'name')");
  return rows.flatMap(({ id, body: { name, measure }, author, changed_us: changedUs }) => {
    const read = AnyMeasure.safeParse(measure);
    return read.success ? [{ id, name, measure: read.data, author, changedUs }] : [];
  });
}

export async function addMeasure(
  db: Queryable,
  body: z.infer<typeof NewMeasure>,
  author: string,
  atUs: EpochUs,
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into measure (body, author, changed_us) values ($1, $2, $3) returning id",
    [JSON.stringify(body), author, atUs],
  );
  return rows[0]!.id;
}

/** @returns false when there is no such measure */
export async function removeMeasure(db: Queryable, id: number): Promise<boolean> {
  return (await db.query("delete from measure where id = $1", [id])).rowCount === 1;
}
