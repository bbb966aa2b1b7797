import type { Logger } from "pino";
import { type Client, type Connection, connect, type Pool } from "../../kernel/db/pool.js";
import { type BatchIds, idsOfBatches, listenToBatches } from "../../store/batches.js";

const GATHER_MS = 100;
const RETRY_MS = 1_000;

/** Hears of committed batches and tells its listeners, at most ten times a second. */
export class LiveFeed {
  private client: Client | null = null;
  private readonly listeners = new Set<(ids: readonly BatchIds[]) => void>();
  private waiting: { collector: number; number: number }[] = [];
  private timer: NodeJS.Timeout | null = null;
  private stopped = false;

  constructor(
    private readonly connection: Connection,
    private readonly db: Pool,
    private readonly log: Logger,
  ) {}

  async start(): Promise<void> {
    try {
      const client = await connect(this.connection);
      client.on("error", () => this.retry());
      client.on("notification", ({ payload }) => this.noticed(payload ?? ""));
      this.client = client;
      await listenToBatches(client);
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
  listen(listener: (ids: readonly BatchIds[]) => void): () => void {
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
      const ids = await idsOfBatches(this.db, batches);
      if (ids.length > 0) for (const listener of this.listeners) listener(ids);
    } catch (e) {
      this.log.warn({ err: e }, "live feed missed a batch");
    }
  }
}
