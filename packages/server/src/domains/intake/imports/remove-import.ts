import type pg from "pg";
import { nowUs } from "../../../kernel/clock.js";
import { takeFromFlowRollups } from "../../../store/flow-rollups.js";
import { readRows, selectFrom } from "../../../store/record-rows.js";
import { RollupSums } from "../../../store/rollups.js";
import { dropSegment } from "../../../store/segments.js";

const READ_AT_ONCE = 10_000;
/** One without a sign of life for so long has died with its process. */
const DEAD_AFTER_US = 60_000_000;

/**
 * Takes out what an import brought in: its records, what they had added to sums, and that the file was imported. What rules found in them
 * stays, as all that was found does.
 * @returns how many records went
 * @throws with a sentence, when there is no such import or it still runs
 */
export async function removeImport(db: pg.Client, job: number): Promise<number> {
  const { rows: jobs } = await db.query<{ state: string; updated_us: number }>(
    "select state, updated_us from job where id = $1",
    [job],
  );
  const known = jobs[0];
  const { rows: segments } = await db.query<{ name: string; rows: number }>(
    "select name, rows from segment where job = $1 order by name",
    [job],
  );
  if (known === undefined) throw new Error(`there is no import ${job}; “halvik import list” shows which there are`);
  if (["running", "waiting", "cancelling"].includes(known.state) && nowUs() - known.updated_us < DEAD_AFTER_US)
    throw new Error(`import ${job} still runs: cancel it on Intake first, or wait for its end`);
  let removed = 0;
  for (const { name, rows } of segments) {
    await dropSegment(db, name, nowUs(), () => takeFromSums(db, name));
    removed += rows;
  }
  await db.query("delete from imported_file where job = $1", [job]);
  await db.query("update job set state = 'removed', message = $2, updated_us = $3 where id = $1", [
    job,
    `${removed} records were removed again`,
    nowUs(),
  ]);
  return removed;
}

async function takeFromSums(db: pg.Client, segment: string): Promise<void> {
  for (let after = "0"; ; ) {
    const { rows } = await db.query(
      `${selectFrom(segment)} where r.id > $1::bigint order by r.id limit ${READ_AT_ONCE}`,
      [after],
    );
    const records = readRows(segment, rows).map((record) => ({
      id: record.id,
      sender: record.sender,
      content: record,
    }));
    const last = records[records.length - 1];
    if (last === undefined) return;
    const sums = new RollupSums();
    for (const record of records) sums.add(record);
    await sums.takeOut(db);
    await takeFromFlowRollups(db, records);
    after = last.id;
  }
}
