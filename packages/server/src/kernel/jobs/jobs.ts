import PgBoss from "pg-boss";
import type { Connection, Pool, Queryable } from "../db/pool.js";

/** The schema of the database that jobs lie in; pg-boss makes and changes it, as the owner, at a start. */
export const JOBS_SCHEMA = "jobs";

/** What is to be done once, by whichever process is there, tried again when that one is killed. */
const QUEUES = {
  /** A report that is due: the number of its run. Whoever takes longer to make it is taken for gone, and another one makes it. */
  report: { retryLimit: 3, retryDelay: 5, retryBackoff: true, expireInSeconds: 240 },
} as const;
type Queue = keyof typeof QUEUES;

/** Makes the schema and the queues. @param connection the owner's */
export async function prepareJobs(connection: Connection): Promise<void> {
  const boss = new PgBoss({
    ...(connection as PgBoss.DatabaseOptions),
    schema: JOBS_SCHEMA,
    supervise: false,
    schedule: false,
    max: 1,
  });
  await boss.start();
  try {
    for (const [name, options] of Object.entries(QUEUES)) {
      if ((await boss.getQueue(name)) === null) await boss.createQueue(name, { name, ...options });
      else await boss.updateQueue(name, { name, ...options });
    }
  } finally {
    await boss.stop({ graceful: false, close: true });
  }
}

const POLL_SECONDS = 2;
/** How often it is looked for what was left undone. */
const LOOKED_AFTER_SECONDS = 15;

/** Jobs as a process sends and does them, on its own connections. */
export class Jobs {
  private constructor(private readonly boss: PgBoss) {}

  /** @param onError told when the queue cannot be looked at; it is looked at again */
  static async start(db: Pool, onError: (error: Error) => void): Promise<Jobs> {
    const boss = new PgBoss({
      db: executing(db),
      schema: JOBS_SCHEMA,
      migrate: false,
      schedule: false,
      maintenanceIntervalSeconds: LOOKED_AFTER_SECONDS,
    });
    boss.on("error", onError);
    await boss.start();
    return new Jobs(boss);
  }

  /** Within the transaction of a connection. @param key of two that wait under the same one, there is one */
  async send(db: Queryable, queue: Queue, data: object, key: string): Promise<void> {
    await this.boss.send(queue, data, { singletonKey: key, db: executing(db) });
  }

  /** @param work told whether it is the last attempt; what it throws is tried again before that */
  async work<T extends object>(queue: Queue, work: (data: T, isLast: boolean) => Promise<void>): Promise<void> {
    await this.boss.work<T>(
      queue,
      { batchSize: 1, pollingIntervalSeconds: POLL_SECONDS, includeMetadata: true },
      async ([job]: PgBoss.JobWithMetadata<T>[]) => {
        if (job !== undefined) await work(job.data, job.retryCount >= QUEUES[queue].retryLimit);
      },
    );
  }

  /** What is being done is finished first, as far as that goes within a moment; else another one does it. */
  async stop(): Promise<void> {
    await this.boss.stop({ graceful: true, wait: true, timeout: 5_000, close: false });
  }
}

const executing = (db: Queryable): PgBoss.Db => ({
  executeSql: (text, values) => db.query(text, values) as Promise<{ rows: unknown[] }>,
});
