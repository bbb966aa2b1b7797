import { sitesOf } from "@halvik/core/traffic";
import { nowUs } from "../../../kernel/clock.js";
import type { Queryable } from "../../../kernel/db/pool.js";
import { rowsBetween } from "../../../store/record-rows.js";
import { RollupSums } from "../../../store/rollups.js";
import { dropSegment } from "../../../store/segment-life.js";
import { segmentsOfJob } from "../../../store/segments.js";
import { takeOutFlows } from "../../../store/traffic/sum-flows.js";
import { trafficSites } from "../../../store/traffic/traffic-sites.js";
import { DEAD_AFTER_US, endJob, forgetImportedFile, stateOfJob } from "./repository.js";

const READ_AT_ONCE = 10_000;
/**
 * Takes out what an import brought in: its records, what they had added to sums, and that the file was imported. What rules found in them
 * stays, as all that was found does.
 * @returns how many records went
 * @throws with a sentence, when there is no such import or it still runs
 */
export async function removeImport(db: Queryable, job: number): Promise<number> {
  const known = await stateOfJob(db, job);
  if (known === null) throw new Error(`there is no import ${job}; “halvik import list” shows which there are`);
  if (["running", "waiting", "cancelling"].includes(known.state) && nowUs() - known.updatedUs < DEAD_AFTER_US)
    throw new Error(`import ${job} still runs: cancel it on Intake first, or wait for its end`);
  const sites = sitesOf(await trafficSites(db, 0, nowUs()));
  let removed = 0;
  for (const { name, rows } of await segmentsOfJob(db, job)) {
    await dropSegment(db, name, nowUs(), async () => {
      await takeFromSums(db, name);
      await takeOutFlows(db, name, sites, nowUs());
    });
    removed += rows;
  }
  await forgetImportedFile(db, job);
  await endJob(db, job, { state: "removed", message: `${removed} records were removed again` }, nowUs());
  return removed;
}

async function takeFromSums(db: Queryable, segment: string): Promise<void> {
  for (let after = "0"; ; ) {
    const records = (await rowsBetween(db, segment, { after, most: READ_AT_ONCE })).map((record) => ({
      id: record.id,
      sender: record.sender,
      content: record,
    }));
    const last = records[records.length - 1];
    if (last === undefined) return;
    const sums = new RollupSums();
    for (const record of records) sums.add(record);
    await sums.takeOut(db);
    after = last.id;
  }
}
