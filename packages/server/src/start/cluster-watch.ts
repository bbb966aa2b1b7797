import { formatDuration, US_PER_SECOND } from "@halvik/core/base/time";
import pg from "pg";
import { readRoles } from "../domains/health/repository.js";
import { nowUs } from "../kernel/clock.js";
import type { Config } from "../kernel/config/config.js";
import type { Secrets } from "../kernel/config/secrets.js";
import { connectionOf } from "../kernel/db/pool.js";
import { OwnRecords } from "../store/own-records.js";
import { say } from "./children.js";
import type { Cluster } from "./cluster.js";

const LOOK_MS = 1_000;
const ENGINE_LOOK_MS = 30_000;
/** An engine that is only slow to begin says so within this. */
const ENGINE_SILENT_US = 600 * US_PER_SECOND;

/** Sees to it that PostgreSQL runs, and that the engine lives, for as long as Halvik does. */
export class ClusterWatch {
  private stopped = false;
  private timer: NodeJS.Timeout | null = null;
  private engineLookedMs = performance.now();
  private readonly startedUs = nowUs();

  constructor(
    private readonly cluster: Cluster,
    private readonly config: Config,
    private readonly secrets: Secrets,
    private readonly restartEngine: () => void,
  ) {}

  start(): void {
    this.timer = setTimeout(() => void this.look(), LOOK_MS);
  }

  stop(): void {
    this.stopped = true;
    if (this.timer) clearTimeout(this.timer);
  }

  private async look(): Promise<void> {
    try {
      if (!this.cluster.isAlive()) await this.revive();
      else if (performance.now() - this.engineLookedMs > ENGINE_LOOK_MS) {
        this.engineLookedMs = performance.now();
        await this.lookAtEngine();
      }
    } catch (e) {
      say(`watching PostgreSQL: ${(e as Error).message}`);
    } finally {
      if (!this.stopped) this.start();
    }
  }

  private async revive(): Promise<void> {
    const goneUs = nowUs();
    say("PostgreSQL has ended; it is started again …");
    await this.cluster.start();
    if (this.stopped) return;
    const took = formatDuration(nowUs() - goneUs);
    say(`PostgreSQL runs again after ${took}.`);
    await this.withClient(async (client) => {
      const own = await OwnRecords.open(client, "supervisor");
      await own.write([
        {
          event: "database-restarted",
          severity: 3,
          outcome: "failure",
          subject: "PostgreSQL",
          text: `PostgreSQL had ended and was started again; it was away for about ${took}. What arrived meanwhile was kept by the collector.`,
        },
      ]);
    });
  }

  /** One that answers nothing for minutes, though the database does, is started anew. */
  private async lookAtEngine(): Promise<void> {
    const engine = await this.withClient(async (client) => (await readRoles(client)).find((r) => r.role === "engine"));
    if (!engine || engine.detail.stopped === true) return;
    const silentUs = nowUs() - Math.max(engine.heartbeatUs, this.startedUs);
    if (silentUs < ENGINE_SILENT_US) return;
    say(`the engine has given no sign for ${formatDuration(silentUs)}; it is started again`);
    this.restartEngine();
  }

  private async withClient<T>(work: (client: pg.Client) => Promise<T>): Promise<T> {
    const client = new pg.Client(connectionOf(this.config, this.secrets, "owner"));
    client.on("error", () => undefined);
    await client.connect();
    try {
      return await work(client);
    } finally {
      await client.end().catch(() => undefined);
    }
  }
}
