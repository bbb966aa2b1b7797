import { nowUs } from "../../../kernel/clock.js";
import type { Queryable } from "../../../kernel/db/pool.js";
import { endJob, progressJob, runJob, startJob } from "./repository.js";

/** Work that takes a while, told of in the database so that everybody sees how far it is. */
export class Job {
  private constructor(
    private readonly db: Queryable,
    readonly id: number,
  ) {}

  static async start(db: Queryable, name: string, total: number | null, unit: string): Promise<Job> {
    return new Job(db, await startJob(db, name, total, unit, nowUs()));
  }

  /** Takes up a job that was asked for elsewhere. */
  static async resume(db: Queryable, id: number): Promise<Job> {
    await runJob(db, id, nowUs());
    return new Job(db, id);
  }

  /** @returns whether someone has called the job off */
  async progress(done: number): Promise<boolean> {
    return (await progressJob(this.db, this.id, done, nowUs())) === "cancelling";
  }

  async end(state: "done" | "failed" | "cancelled", done: number, message: string): Promise<void> {
    await endJob(this.db, this.id, { state, done, message }, nowUs());
  }
}
