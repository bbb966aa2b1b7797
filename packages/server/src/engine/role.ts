import { type OwnObservation, ownRecord } from "@halvik/core/normalise";
import { OWN_SENDER } from "@halvik/core/senders";
import { formatDuration, US_PER_MINUTE } from "@halvik/core/time";
import pg from "pg";
import pino from "pino";
import { nowUs } from "../config/clock.js";
import type { Config } from "../config/config.js";
import type { Secrets } from "../config/secrets.js";
import { dropRoot } from "../start/drop-root.js";
import { BATCH_CHANNEL, BatchWriter } from "../store/batches.js";
import { claimCollector } from "../store/collectors.js";
import { connectionOf } from "../store/pool.js";
import { IdSource } from "../store/record-id.js";
import { readRoles, writeHeartbeat } from "../store/status.js";
import { EngineSession } from "./session.js";
import { SelfWatch } from "./watch-self.js";
import { watchSenders } from "./watch-senders.js";

const IDLE_MS = 250;
const WATCH_MS = 5_000;
const RECONNECT_MS = 1_000;
const KEEP_BATCHES_US = 2 * 24 * 60 * US_PER_MINUTE;

/** Runs the engine until stopped; reconnects and reads everything back after any failure. */
export async function startEngine(config: Config, secrets: Secrets): Promise<() => Promise<void>> {
  dropRoot();
  const log = pino({ name: "engine", level: config.HALVIK_LOG_LEVEL }, pino.destination(2));
  const startedUs = nowUs();
  let stopping = false;
  const run = async () => {
    while (!stopping) {
      const client = new pg.Client(connectionOf(config, secrets, "owner"));
      client.on("error", () => undefined);
      try {
        await client.connect();
        await follow(client, config, startedUs, () => stopping);
      } catch (e) {
        log.warn({ err: e }, "engine session ended");
        await new Promise((resolve) => setTimeout(resolve, RECONNECT_MS));
      } finally {
        await client.end().catch(() => undefined);
      }
    }
  };
  const running = run();
  return async () => {
    stopping = true;
    await running;
  };
}

async function follow(client: pg.Client, config: Config, startedUs: number, stopping: () => boolean): Promise<void> {
  const claim = await claimCollector(client, "engine", "engine");
  const own = new OwnRecords(
    new BatchWriter(client, claim.number, false),
    new IdSource(claim.number, claim.lastIdUs),
    claim.lastBatch,
  );
  const before = (await readRoles(client)).find((r) => r.role === "engine");
  const session = await EngineSession.open(client, config.HALVIK_ZONE);
  const watch = new SelfWatch(config.HALVIK_DATA_DIR, config.HALVIK_DISK_LOW_BYTES);
  if (before && before.detail.stopped !== true && nowUs() - before.heartbeatUs > US_PER_MINUTE)
    await own.write([
      {
        event: "role-stopped",
        severity: 2,
        outcome: "failure",
        subject: "engine",
        text: `The engine did not run for ${formatDuration(nowUs() - before.heartbeatUs)}; it catches up now.`,
      },
      { event: "role-back", severity: 5, outcome: "success", subject: "engine", text: "The engine is back." },
    ]);
  let woken = () => {};
  client.on("notification", () => woken());
  await client.query(`listen ${BATCH_CHANNEL}`);
  let watchedMs = 0;
  while (!stopping()) {
    const more = await session.step();
    if (performance.now() - watchedMs > WATCH_MS) {
      watchedMs = performance.now();
      const now = nowUs();
      await own.write([
        ...(await watchSenders(client, session.senderDirectory, now)),
        ...(await watch.look(client, session.liveThroughUs, now)),
      ]);
      await writeHeartbeat(client, "engine", startedUs, now, {
        memoryBytes: process.memoryUsage.rss(),
        throughUs: session.liveThroughUs,
      });
      // what has been followed long ago is not needed any more; the newest stay, numbers continue from them
      await client.query(
        "delete from batch b using engine_cursor e where e.collector = b.collector and b.number < e.number - 100 and b.committed_us < $1",
        [now - KEEP_BATCHES_US],
      );
    }
    if (!more) {
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, IDLE_MS);
        woken = () => {
          clearTimeout(timer);
          // several collectors commit at nearly the same moment; one step takes them all
          setTimeout(resolve, 20);
        };
      });
    }
  }
  await writeHeartbeat(client, "engine", startedUs, nowUs(), { stopped: true });
}

/** Writes what the engine notices as records of its own collector number. */
class OwnRecords {
  constructor(
    private readonly writer: BatchWriter,
    private readonly ids: IdSource,
    private number: number,
  ) {}

  async write(observations: readonly OwnObservation[]): Promise<void> {
    if (observations.length === 0) return;
    const now = nowUs();
    const records = observations.map((o) => ({
      id: this.ids.next(now),
      sender: OWN_SENDER,
      endpoint: "halvik",
      copyOf: null,
      content: ownRecord(o, now),
    }));
    await this.writer.commit({ number: this.number + 1, records, throughUs: now, runRules: true }, now);
    this.number++;
  }
}
