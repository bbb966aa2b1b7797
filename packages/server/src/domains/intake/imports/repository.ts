import type { Queryable } from "../../../kernel/db/pool.js";

export type JobState = "waiting" | "running" | "cancelling" | "done" | "failed" | "cancelled" | "removed";

/** One without a sign of life for so long has died with its process. */
export const DEAD_AFTER_US = 60_000_000;

/** @returns its number */
export async function startJob(
  db: Queryable,
  name: string,
  total: number | null,
  unit: string,
  nowUs: number,
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into job (name, state, total, unit, started_us, updated_us) values ($1, 'running', $2, $3, $4, $4) returning id",
    [name, total, unit, nowUs],
  );
  return rows[0]!.id;
}

/** A file that waits in the place for uploads to be read in. */
export async function addUpload(
  db: Queryable,
  name: string,
  file: string,
  { peer, metered }: { readonly peer: string | null; readonly metered: boolean },
  nowUs: number,
): Promise<void> {
  await db.query(
    "insert into job (name, state, total, unit, started_us, updated_us, file, peer, metered) values ($1, 'waiting', null, 'records', $2, $2, $3, $4, $5)",
    [name, nowUs, file, peer, metered],
  );
}

export async function runJob(db: Queryable, id: number, nowUs: number): Promise<void> {
  await db.query("update job set state = 'running', updated_us = $2 where id = $1", [id, nowUs]);
}

/** @returns the state it has: somebody may have called it off */
export async function progressJob(db: Queryable, id: number, done: number, nowUs: number): Promise<JobState | null> {
  const { rows } = await db.query<{ state: JobState }>(
    "update job set done = $2, updated_us = $3 where id = $1 returning state",
    [id, done, nowUs],
  );
  return rows[0]?.state ?? null;
}

export async function endJob(
  db: Queryable,
  id: number,
  end: { readonly state: JobState; readonly done?: number; readonly message: string },
  nowUs: number,
): Promise<void> {
  await db.query("update job set state = $2, done = coalesce($3, done), message = $4, updated_us = $5 where id = $1", [
    id,
    end.state,
    end.done ?? null,
    end.message,
    nowUs,
  ]);
}

/** Says that a job failed, unless it has said so itself; one that was called off is over. */
export async function failJob(db: Queryable, id: number, message: string, nowUs: number): Promise<void> {
  await db.query(
    "update job set state = case when state = 'cancelling' then 'cancelled' else 'failed' end, message = $2, updated_us = $3 where id = $1 and state not in ('cancelled', 'failed')",
    [id, message, nowUs],
  );
}

/** @returns whether it waited or ran */
export async function cancelJob(db: Queryable, id: number): Promise<boolean> {
  const { rowCount } = await db.query(
    "update job set state = 'cancelling' where id = $1 and state in ('waiting', 'running')",
    [id],
  );
  return rowCount !== 0;
}

export async function stateOfJob(db: Queryable, id: number): Promise<{ state: JobState; updatedUs: number } | null> {
  const { rows } = await db.query<{ state: JobState; updated_us: number }>(
    "select state, updated_us from job where id = $1",
    [id],
  );
  return rows[0] ? { state: rows[0].state, updatedUs: rows[0].updated_us } : null;
}

export interface JobRow {
  readonly id: number;
  readonly name: string;
  readonly state: JobState;
  readonly done: number;
  readonly message: string;
  readonly startedUs: number;
}

/** The last jobs, the latest first. */
export async function latestJobs(db: Queryable, most: number): Promise<JobRow[]> {
  const { rows } = await db.query<Omit<JobRow, "startedUs"> & { started_us: number }>(
    "select id, name, state, done, message, started_us from job order by id desc limit $1",
    [most],
  );
  return rows.map(({ started_us, ...r }) => ({ ...r, startedUs: started_us }));
}

/** Jobs that run now, or wait to. */
export async function runningJobs(
  db: Queryable,
  nowUs: number,
): Promise<
  { id: number; name: string; state: "running"; done: number; total: number | null; unit: string; message: string }[]
> {
  const { rows } = await db.query<{
    id: number;
    name: string;
    done: number;
    total: number | null;
    unit: string;
    message: string;
  }>(
    "select id, name, done, total, unit, message from job where state in ('running', 'waiting', 'cancelling') and updated_us > $1 order by id",
    [nowUs - DEAD_AFTER_US],
  );
  return rows.map((r) => ({ ...r, state: "running" as const }));
}

export interface Upload {
  readonly id: number;
  readonly name: string;
  readonly file: string;
  readonly peer: string | null;
  /** Of a capture, its packets and not the messages in it. */
  readonly metered: boolean;
  readonly state: JobState;
}

/** The first upload that is not over. */
export async function nextUpload(db: Queryable): Promise<Upload | null> {
  const { rows } = await db.query<Upload>(
    "select id, name, file, peer, metered, state from job where file is not null and state in ('waiting', 'cancelling', 'running') order by id limit 1",
  );
  return rows[0] ?? null;
}

/** Which file it was, by its content, and what became of it. */
export async function keepImportedFile(
  db: Queryable,
  file: { readonly sha256: string; readonly name: string; readonly bytes: number },
  receipt: object,
  job: number,
  nowUs: number,
): Promise<void> {
  await db.query(
    `insert into imported_file as f (sha256, name, bytes, imported_us, receipt, job) values ($1, $2, $3, $4, $5, $6)
     on conflict (sha256) do update set name = excluded.name, imported_us = excluded.imported_us, receipt = excluded.receipt, job = excluded.job`,
    [file.sha256, file.name, file.bytes, nowUs, JSON.stringify(receipt), job],
  );
}

/** When the same content was imported; null also where all its records are gone again, by their age or because someone removed them. */
export async function importedAt(db: Queryable, sha256: string): Promise<number | null> {
  const { rows } = await db.query<{ imported_us: number }>(
    "select imported_us from imported_file f where sha256 = $1 and (job is null or exists (select from segment s where s.job = f.job))",
    [sha256],
  );
  return rows[0]?.imported_us ?? null;
}

export async function forgetImportedFile(db: Queryable, job: number): Promise<void> {
  await db.query("delete from imported_file where job = $1", [job]);
}
