import { formatDuration, US_PER_MINUTE } from "@halvik/core/time";
import type pg from "pg";
import { nowUs } from "../config/clock.js";
import type { Config } from "../config/config.js";
import type { Secrets } from "../config/secrets.js";
import { dropRoot } from "../start/drop-root.js";
import { BATCH_CHANNEL } from "../store/batches.js";
import { keepSession } from "../store/keep-session.js";
import { OwnRecords } from "../store/own-records.js";
import { saveNearness } from "../store/rules.js";
import { readRoles, writeHeartbeat } from "../store/status.js";
import { remind } from "./remind.js";
import { EngineSession } from "./session.js";
import { Uploads } from "./uploads.js";
import { SelfWatch } from "./watch-self.js";
import { watchSenders } from "./watch-senders.js";

const IDLE_MS = 250;
const WATCH_MS = 5_000;
/** Keys of a rule that are said to be near to being raised. */
const NEAREST = 5;
const KEEP_BATCHES_US = 2 * 24 * 60 * US_PER_MINUTE;

/** Runs the engine until stopped; reconnects and reads everything back after any failure. */
export async function startEngine(config: Config, secrets: Secrets): Promise<() => Promise<void>> {
  dropRoot();
  const startedUs = nowUs();
  return keepSession("engine", config, secrets, (client, stopping) => follow(client, config, startedUs, stopping));
}

async function follow(client: pg.Client, config: Config, startedUs: number, stopping: () => boolean): Promise<void> {
  const own = await OwnRecords.open(client, "engine");
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
  const uploads = new Uploads(client);
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
      await uploads.look();
      await remind(client, session.activeRules, now);
      await saveNearness(client, session.nearness(NEAREST), now);
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
  uploads.stop();
  await writeHeartbeat(client, "engine", startedUs, nowUs(), { stopped: true });
}
