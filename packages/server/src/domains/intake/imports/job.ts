import { nowUs } from "../../../kernel/clock.js";
import type { Queryable } from "../../../kernel/db/pool.js";

/** Something long that people see the progress of: an import, the loading of history. */
export class Job {
  private constructor(
    private readonly db: Queryable,
    readonly id: number,
  ) {}

  static async start(db: Queryable, name: string, total: number | null, unit: string): Promise<Job> {
    const now = nowUs();
    const { rows } = await db.query<{ id: number }>(
      "insert into job (name, state, total, unit, started_us, updated_us) values ($1, 'running', $2, $3, $4, $4) returning id",
      [name, total, unit, now],
    );
    return new Job(db, rows[0]!.id);
  }

  /** Takes up a job that was asked for elsewhere. */
  static async resume(db: Queryable, id: number): Promise<Job> {
    await db.query("update job set state = 'running', updated_us = $2 where id = $1", [id, nowUs()]);
    return new Job(db, id);
  }

  /** @returns whether someone has called the job off */
  async progress(done: number): Promise<boolean> {
    const { rows } = await this.db.query<{ state: string }>(
      "update job set done = $2, updated_us = $3 where id = $1 returning state",
      [this.id, done, nowUs()],
    );
    return rows[0]?.state === "cancelling";
  }

  async end(state: "done" | "failed" | "cancelled", done: number, message: string): Promise<void> {
    await this.db.query("update job set state = $2, done = $3, message = $4, updated_us = $5 where id = $1", [
      this.id,
      state,
      done,
      message,
      nowUs(),
    ]);
  }
}

/** Jobs that run now; one without a sign of life for a minute has died with its process. */
export async function runningJobs(
  db: Queryable,
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
    [nowUs() - 60_000_000],
  );
  return rows.map((r) => ({ ...r, state: "running" as const }));
}
