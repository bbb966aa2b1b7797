import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import { duesBetween } from "@halvik/core/report";
import { nowUs } from "../../kernel/clock.js";
import { type Pool, transaction } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import type { Jobs } from "../../kernel/jobs/jobs.js";
import { mayRead } from "../people/tokens-repository.js";
import { makeReport, type ReportNeeds } from "./make-report.js";
import {
  addDueRun,
  dropOldRuns,
  failOldRuns,
  findReport,
  type KeptSchedule,
  keepFailed,
  keepMade,
  listSchedules,
  lookedAt,
  waitingRun,
} from "./repository.js";

/** Of what was missed while nobody was there, at most so many of a schedule are made up. */
const MOST_MADE_UP = 31;
/** What was not made by then never is: it failed. */
const GIVE_UP_US = US_PER_DAY;
/** So far apart the clocks of two nodes may be. */
const CLOCKS_DIFFER_US = US_PER_MINUTE;

/**
 * Puts what has become due among the jobs, each moment of a schedule once: however many processes look, and whatever is killed meanwhile.
 * @returns how many there were
 */
export async function lookForDue(db: Pool, jobs: Jobs, atUs: number): Promise<number> {
  let found = 0;
  const failed: Error[] = [];
  for (const schedule of await listSchedules(db))
    try {
      found += await putDue(db, jobs, schedule, atUs);
    } catch (e) {
      // one that cannot be put there keeps no other back
      failed.push(e as Error);
    }
  await failOldRuns(db, atUs - GIVE_UP_US, atUs);
  if (failed.length > 0) throw failed[0]!;
  return found;
}

async function putDue(db: Pool, jobs: Jobs, schedule: KeptSchedule, atUs: number): Promise<number> {
  // the clock was ahead when it was looked at last: what it jumped over comes again, once
  if (schedule.lookedUs > atUs + CLOCKS_DIFFER_US) await lookedAt(db, schedule.id, atUs);
  const dues = schedule.schedule.enabled ? duesBetween(schedule.schedule, schedule.lookedUs, atUs, MOST_MADE_UP) : [];
  if (dues.length === 0) return 0;
  let found = 0;
  const client = await db.connect();
  try {
    await transaction(client, async () => {
      for (const due of dues) {
        const run = await addDueRun(client, schedule, due);
        if (run === null) continue;
        found++;
        await jobs.send(client, "report", { run }, String(run));
      }
      await lookedAt(client, schedule.id, dues[dues.length - 1]!);
    });
  } finally {
    client.release();
  }
  return found;
}

/** Makes what is due, as whoever scheduled it: what they may not read any more is not made. */
export async function makeDue(needs: ReportNeeds, id: number, isLast: boolean): Promise<void> {
  const { db } = needs;
  const run = await waitingRun(db, id);
  if (run === null) return;
  const kept = await findReport(db, run.report);
  const schedule = (await listSchedules(db)).find((s) => s.id === run.schedule)?.schedule;
  if (kept === null) return;
  if (schedule === undefined)
    return void (await keepFailed(db, id, "its schedule was removed before it was made", nowUs()));
  if (!(await mayRead(db, run.by, nowUs())))
    return void (await keepFailed(db, id, `${run.by}, who scheduled it, may not read any more`, nowUs()));
  try {
    const actor = { name: run.by, may: "read" } as const;
    const made = await makeReport(needs, actor, kept.report, { of: schedule.of, zone: schedule.zone, atUs: run.dueUs });
    if (await keepMade(db, id, made, nowUs())) await dropOldRuns(db, run.schedule!, schedule.keep);
  } catch (e) {
    // what is asked wrongly is so the next time too
    if (!isLast && !(e instanceof AppError)) throw e;
    await keepFailed(db, id, (e as Error).message, nowUs());
  }
}
