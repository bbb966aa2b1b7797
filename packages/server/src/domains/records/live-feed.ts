import pg from "pg";
import type { Logger } from "pino";
import { BATCH_CHANNEL } from "../../store/batches.js";

const GATHER_MS = 100;
const RETRY_MS = 1_000;

/** Ids committed since the last word, as bounds. */
export interface NewIds {
  readonly low: string;
  readonly high: string;
}

/** Hears of committed batches and tells its listeners, at most ten times a second. */
export class LiveFeed {
  private client: pg.Client | null = null;
  private readonly listeners = new Set<(ids: NewIds) => void>();
  private waiting: { collector: number; number: number }[] = [];
  private timer: NodeJS.Timeout | null = null;
  private stopped = false;

  constructor(
    private readonly connection: pg.ClientConfig,
    private readonly db: pg.Pool,
    private readonly log: Logger,
  ) {}

  async start(): Promise<void> {
    const client = new pg.Client(this.connection);
    client.on("error", () => this.retry());
    client.on("notification", ({ payload }) => this.noticed(payload ?? ""));
    try {
      await client.connect();
      await client.query(`listen ${BATCH_CHANNEL}`);
      this.client = client;
    } catch (e) {
      this.log.warn({ err: e }, "live feed cannot listen");
      this.retry();
    }
  }

  async stop(): Promise<void> {
    this.stopped = true;
    if (this.timer) clearTimeout(this.timer);
    await this.client?.end().catch(() => undefined);
  }

  /** @returns how to stop listening */
  listen(listener: (ids: NewIds) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  private retry(): void {
    this.client?.end().catch(() => undefined);
    this.client = null;
    if (!this.stopped) setTimeout(() => void this.start(), RETRY_MS);
  }

  private noticed(payload: string): void {
    const [collector, number] = payload.split(" ").map(Number);
    if (this.listeners.size === 0 || collector === undefined || number === undefined) return;
    this.waiting.push({ collector, number });
    this.timer ??= setTimeout(() => void this.tell(), GATHER_MS);
  }

  private async tell(): Promise<void> {
    this.timer = null;
    const batches = this.waiting;
    this.waiting = [];
    try {
      const { rows } = await this.db.query<{ low: string | null; high: string | null }>(
        "select min(b.low_id)::text as low, max(b.high_id)::text as high from unnest($1::int[], $2::bigint[]) w (collector, number) join batch b using (collector, number)",
        [batches.map((b) => b.collector), batches.map((b) => b.number)],
      );
      const { low, high } = rows[0]!;
      if (low !== null && high !== null) for (const listener of this.listeners) listener({ low, high });
    } catch (e) {
      this.log.warn({ err: e }, "live feed missed a batch");
    }
  }
}
