import { ReportMade, type Run } from "@halvik/contract/reports";
import { type EpochUs, formatUs, US_PER_MINUTE } from "@halvik/core/base/time";
import { ReportDefinition, Schedule } from "@halvik/core/report";
import type { Queryable } from "../../kernel/db/pool.js";

export interface KeptReport {
  readonly id: number;
  readonly report: ReportDefinition;
  readonly author: string;
  readonly changedUs: EpochUs;
}

interface ReportRow {
  id: number;
  body: unknown;
  author: string;
  changed_us: number;
}

const keptOf = (r: ReportRow): KeptReport => ({
  id: r.id,
  report: ReportDefinition.parse(r.body),
  author: r.author,
  changedUs: r.changed_us,
});

export async function listReports(db: Queryable): Promise<KeptReport[]> {
  const { rows } = await db.query<ReportRow>(
    "select id, body, author, changed_us from report order by lower(body->>'name')",
  );
  return rows.map(keptOf);
}

export async function findReport(db: Queryable, id: number): Promise<KeptReport | null> {
  const { rows } = await db.query<ReportRow>("select id, body, author, changed_us from report where id = $1", [id]);
  return rows[0] === undefined ? null : keptOf(rows[0]);
}

export async function addReport(
  db: Queryable,
  report: ReportDefinition,
  author: string,
  atUs: EpochUs,
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into report (body, author, changed_us) values ($1, $2, $3) returning id",
    [JSON.stringify(report), author, atUs],
  );
  return rows[0]!.id;
}

/** @param knownUs when it was changed last, as whoever changes it knows @returns false when there is no such report, or it was changed since then */
export async function changeReport(
  db: Queryable,
  id: number,
  knownUs: EpochUs,
  report: ReportDefinition,
  author: string,
  atUs: EpochUs,
): Promise<boolean> {
  const changed = await db.query(
    "update report set body = $2, author = $3, changed_us = $4 where id = $1 and changed_us = $5",
    [
      id,
      JSON.stringify(report),
      author,
      // no two changes have the same moment
      Math.max(atUs, knownUs + 1),
      knownUs,
    ],
  );
  return changed.rowCount === 1;
}

/** @returns false when there is no such report */
export async function removeReport(db: Queryable, id: number): Promise<boolean> {
  return (await db.query("delete from report where id = $1", [id])).rowCount === 1;
}

export interface KeptSchedule {
  readonly id: number;
  readonly report: number;
  readonly schedule: Schedule;
  readonly author: string;
  /** Moments up to this one have been looked at. */
  readonly lookedUs: EpochUs;
}

export async function listSchedules(db: Queryable): Promise<KeptSchedule[]> {
  const { rows } = await db.query<{ id: number; report: number; body: unknown; author: string; looked_us: number }>(
    "select id, report, body, author, looked_us from report_schedule order by id",
  );
  return rows.map((r) => ({
    id: r.id,
    report: r.report,
    schedule: Schedule.parse(r.body),
    author: r.author,
    lookedUs: r.looked_us,
  }));
}

/** From now on: what was due before is not made up. */
export async function addSchedule(
  db: Queryable,
  report: number,
  schedule: Schedule,
  author: string,
  nowUs: EpochUs,
): Promise<void> {
  await db.query("insert into report_schedule (report, body, author, looked_us) values ($1, $2, $3, $4)", [
    report,
    JSON.stringify(schedule),
    author,
    nowUs,
  ]);
}

/** @returns false when there is no such schedule */
export async function changeSchedule(
  db: Queryable,
  report: number,
  id: number,
  schedule: Schedule,
  author: string,
  nowUs: EpochUs,
): Promise<boolean> {
  const changed = await db.query(
    "update report_schedule set body = $3, author = $4, looked_us = $5 where id = $2 and report = $1",
    [report, id, JSON.stringify(schedule), author, nowUs],
  );
  return changed.rowCount === 1;
}

/** @returns false when there is no such schedule */
export async function removeSchedule(db: Queryable, report: number, id: number): Promise<boolean> {
  return (await db.query("delete from report_schedule where id = $2 and report = $1", [report, id])).rowCount === 1;
}

export const lookedAt = (db: Queryable, schedule: number, atUs: EpochUs): Promise<unknown> =>
  db.query("update report_schedule set looked_us = $2 where id = $1", [schedule, atUs]);

/** What is made that much after it was due is late: nobody was there to make it. */
const LATE_US = 10 * US_PER_MINUTE;

interface RunRow {
  id: number;
  report: number;
  state: Run["state"];
  why: string;
  due_us: number | null;
  made_us: number | null;
  by: string;
  window: { from: string; to: string } | null;
}

const runJson = (r: RunRow): Run => ({
  id: r.id,
  state: r.state,
  why: r.why,
  due: r.due_us === null ? null : formatUs(r.due_us),
  made: r.made_us === null ? null : formatUs(r.made_us),
  late: r.due_us !== null && r.made_us !== null && r.made_us - r.due_us > LATE_US,
  by: r.by,
  window: r.window,
});

/** The newest runs of each report. @param report of this one alone; null: of all */
export async function runsByReport(
  db: Queryable,
  most: number,
  report: number | null = null,
): Promise<ReadonlyMap<number, readonly Run[]>> {
  const { rows } = await db.query<RunRow>(
    `select id, report, state, why, due_us, made_us, by, body->'window' as window
     from (select *, row_number() over (partition by report order by id desc) as n from report_run where $2::int is null or report = $2) r where n <= $1 order by id desc`,
    [most, report],
  );
  const found = new Map<number, Run[]>();
  for (const row of rows) found.set(row.report, [...(found.get(row.report) ?? []), runJson(row)]);
  return found;
}

export interface KeptRun {
  readonly run: Run;
  readonly made: ReportMade | null;
}

export async function findRun(db: Queryable, report: number, run: number): Promise<KeptRun | null> {
  const { rows } = await db.query<RunRow & { body: unknown }>(
    "select id, report, state, why, due_us, made_us, by, body->'window' as window, body from report_run where id = $2 and report = $1",
    [report, run],
  );
  const row = rows[0];
  if (row === undefined) return null;
  return { run: runJson(row), made: row.body === null ? null : ReportMade.parse(row.body) };
}

/** A run that somebody asked for, made already. */
export async function addRun(
  db: Queryable,
  report: number,
  made: ReportMade,
  by: string,
  atUs: EpochUs,
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into report_run (report, state, by, made_us, body) values ($1, 'made', $2, $3, $4) returning id",
    [report, by, atUs, storedJson(made)],
  );
  return rows[0]!.id;
}

/** JSON as the database takes it: U+0000 and halves of signs have no place in it. */
const storedJson = (made: ReportMade): string =>
  JSON.stringify(made, (_, value: unknown) =>
    typeof value === "string" ? value.replaceAll("\0", "\ufffd").toWellFormed() : value,
  );

/** A run that is due; each moment of a schedule once. @returns null where there is one already */
export async function addDueRun(db: Queryable, schedule: KeptSchedule, dueUs: EpochUs): Promise<number | null> {
  const { rows } = await db.query<{ id: number }>(
    "insert into report_run (report, schedule, due_us, state, by) values ($1, $2, $3, 'waiting', $4) on conflict do nothing returning id",
    [schedule.report, schedule.id, dueUs, schedule.author],
  );
  return rows[0]?.id ?? null;
}

export interface WaitingRun {
  readonly id: number;
  readonly report: number;
  readonly schedule: number | null;
  readonly dueUs: EpochUs;
  readonly by: string;
}

/** A run that is still to be made; null: it has been, or its report is gone. */
export async function waitingRun(db: Queryable, id: number): Promise<WaitingRun | null> {
  const { rows } = await db.query<WaitingRun>(
    `select id, report, schedule, due_us as "dueUs", by from report_run where id = $1 and state = 'waiting' and due_us is not null`,
    [id],
  );
  return rows[0] ?? null;
}

/** @returns false when another one was quicker */
export async function keepMade(db: Queryable, id: number, made: ReportMade, atUs: EpochUs): Promise<boolean> {
  const kept = await db.query(
    "update report_run set state = 'made', made_us = $2, body = $3 where id = $1 and state = 'waiting'",
    [id, atUs, storedJson(made)],
  );
  return kept.rowCount === 1;
}

export const keepFailed = (db: Queryable, id: number, why: string, atUs: EpochUs): Promise<unknown> =>
  db.query("update report_run set state = 'failed', why = $2, made_us = $3 where id = $1 and state = 'waiting'", [
    id,
    why.replaceAll("\0", "\ufffd").slice(0, 2_000),
    atUs,
  ]);

/** What was due before a moment and is not made never will be. */
export const failOldRuns = (db: Queryable, dueBeforeUs: EpochUs, atUs: EpochUs): Promise<unknown> =>
  db.query(
    "update report_run set state = 'failed', why = 'it was not made within a day', made_us = $2 where state = 'waiting' and due_us < $1",
    [dueBeforeUs, atUs],
  );

/** Outputs of a schedule beyond the newest so many go. */
export const dropOldRuns = (db: Queryable, schedule: number, keep: number): Promise<unknown> =>
  db.query(
    "delete from report_run where id in (select id from report_run where schedule = $1 order by due_us desc offset $2)",
    [schedule, keep],
  );
