import type { BulkAct } from "@halvik/contract/incidents";
import type { Queryable } from "../../kernel/db/pool.js";

/** What acts change of an incident. */
const CHANGED =
  "acknowledged_by, acknowledged_us, seen, new_since_seen, owner, shelved_until_us, shelved_by, shelved_why, state, close_reason, ended_us";

/** An incident as it was before an act: `merged_into` and what acts change, by column. */
export interface Before {
  readonly id: number;
  readonly [column: string]: unknown;
}

export interface KeptAct {
  at_us: number;
  who: string;
  act: BulkAct["act"] & { untilUs: number | null };
  before: Before[];
}

/** Those of the incidents there are, held until the transaction ends. */
export async function heldForActs(db: Queryable, ids: readonly number[]): Promise<Before[]> {
  const { rows } = await db.query<Before>(
    `select id, merged_into, ${CHANGED} from incident where id = any($1::int[]) order by id for update`,
    [ids],
  );
  return rows;
}

/** @returns by which number it can be taken back */
export async function keepAct(
  db: Queryable,
  atUs: number,
  who: string,
  act: KeptAct["act"],
  before: readonly Before[],
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into bulk_act (at_us, who, act, before) values ($1, $2, $3, $4) returning id",
    [atUs, who, JSON.stringify(act), JSON.stringify(before)],
  );
  return rows[0]!.id;
}

/** @returns undefined when there is no such act, or it was taken back before */
export async function takeActBack(db: Queryable, id: number): Promise<KeptAct | undefined> {
  const { rows } = await db.query<KeptAct>(
    "update bulk_act set undone = true where id = $1 and not undone returning at_us, who, act, before",
    [id],
  );
  return rows[0];
}

/** Puts columns back, where those of `still` have the values an act left there. @returns whether they had */
export async function restoreColumns(
  db: Queryable,
  before: Before,
  columns: readonly string[],
  still: Readonly<Record<string, unknown>>,
): Promise<boolean> {
  const values = [
    before.id,
    ...columns.map((c) => (c === "seen" && before[c] !== null ? JSON.stringify(before[c]) : before[c])),
  ];
  const set = columns.map((c, i) => `${c} = $${i + 2}`);
  const same = Object.entries(still).map(([c, value]) => `${c} is not distinct from $${values.push(value)}`);
  const { rowCount } = await db.query(
    `update incident set ${set.join(", ")} where id = $1 and ${same.join(" and ")}`,
    values,
  );
  return rowCount === 1;
}

/** Takes back what the rules are to be told of a closing. @returns whether they had not been told yet */
export async function withdrawCloses(db: Queryable, incident: number, atUs: number): Promise<boolean> {
  const ofThis = "f.rule_id = c.rule_id and f.key = c.key and f.incident = $1 and c.at_us = $2";
  // in this order: what the engine takes meanwhile is not there to be taken back
  await db.query(`delete from engine_close c using finding f where ${ofThis} and not c.taken`, [incident, atUs]);
  const told = await db.query(`select 1 from engine_close c, finding f where ${ofThis}`, [incident, atUs]);
  return (told.rowCount ?? 0) === 0;
}
