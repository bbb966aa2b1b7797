import { statfs } from "node:fs/promises";
import { constants, setPriority } from "node:os";
import { readHistory } from "../domains/formats/history/read-history.js";
import { isIntakeBehind, writeHeartbeat } from "../domains/health/repository.js";
import { loadEndpoints, mappingsOf } from "../domains/intake/endpoints/repository.js";
import { loadDirectory } from "../domains/intake/senders/directory-cache.js";
import { loadMeanings } from "../domains/names/repository.js";
import { nowUs } from "../kernel/clock.js";
import type { Config } from "../kernel/config/config.js";
import { keepSession } from "../kernel/db/keep-session.js";
import { type Client, connect, connectionOf, destroy } from "../kernel/db/pool.js";
import type { RoleContext } from "../kernel/role-input.js";
import { GiveWay } from "../store/keeping/give-way.js";
import { indexNext, PART_ROWS } from "../store/keeping/index-segments.js";
import { TrafficKeeping } from "../store/keeping/keep-traffic.js";
import { BindingKeeping, pruneBindings } from "../store/keeping/learn-bindings.js";
import { pruneBeside } from "../store/keeping/prune-beside.js";
import { dropExpired, shedOldest } from "../store/keeping/retention.js";
import { OwnRecords } from "../store/own-records.js";
import { pruneShapes } from "../store/shapes.js";
import { pruneSightings } from "../store/sightings.js";
import { dropReplacedParts } from "../store/term-index.js";
import { closeSteps } from "../store/traffic/write-sums.js";

const IDLE_MS = 1_000;
const HEARTBEAT_MS = 5_000;
const RETENTION_MS = 60_000;

/**
 * Keeps the store in order: sums traffic, indexes what has been stored, seals, drops what is older than is kept, and guards the disk. What devices
 * send cannot wait, and most of this can: it gives way to an intake that is behind, and while the processors are short, the other roles have them
 * first (nice(2)).
 */
export async function startKeeper({ config, secrets }: RoleContext): Promise<() => Promise<void>> {
  yieldToOthers();
  const startedUs = nowUs();
  return keepSession("keeper", config, secrets, async (client, stopping) => {
    // its signs of life go by a session of their own: some of its work is one transaction of many seconds
    const pulse = await connect(connectionOf(config, secrets, "keeper"));
    try {
      await keep(client, pulse, config, startedUs, stopping);
    } finally {
      destroy(pulse);
    }
  });
}

function yieldToOthers(): void {
  try {
    setPriority(constants.priority.PRIORITY_BELOW_NORMAL);
  } catch {
    // a system that forbids it: it works as the others do
  }
}

async function keep(
  client: Client,
  pulse: Client,
  config: Config,
  startedUs: number,
  stopping: () => boolean,
): Promise<void> {
  const own = await OwnRecords.open(client, "keeper");
  const days = { records: config.HALVIK_KEEP_RECORDS_DAYS, flows: config.HALVIK_KEEP_FLOWS_DAYS };
  const keepTraffic = {
    minute: config.HALVIK_KEEP_TRAFFIC_MINUTE_DAYS,
    five: config.HALVIK_KEEP_TRAFFIC_FIVE_DAYS,
    hour: config.HALVIK_KEEP_TRAFFIC_HOUR_DAYS,
  };
  const traffic = new TrafficKeeping(client, keepTraffic);
  const bindings = new BindingKeeping(client);
  let beatMs = Number.NEGATIVE_INFINITY;
  /** Within a transaction of `client`, too. */
  const beatAlone = async (): Promise<void> => {
    // signals and the connection are heard in between
    await new Promise((resolve) => setImmediate(resolve));
    if (performance.now() - beatMs < HEARTBEAT_MS) return;
    beatMs = performance.now();
    await writeHeartbeat(pulse, "keeper", config.HALVIK_NODE, startedUs, nowUs(), {
      memoryBytes: process.memoryUsage.rss(),
    });
  };
  const history = {
    beat: beatAlone,
    directory: () => loadDirectory(client, config.HALVIK_ZONE),
    meanings: () => loadMeanings(client),
    mappings: async () => mappingsOf(await loadEndpoints(client, config)),
  };
  let lookedMs = Number.NEGATIVE_INFINITY;
  let retentionMs = Number.NEGATIVE_INFINITY;
  const beat = async () => {
    await beatAlone();
    if (performance.now() - lookedMs < HEARTBEAT_MS) return;
    lookedMs = performance.now();
    const { bavail, bsize } = await statfs(config.HALVIK_DATA_DIR);
    if (bavail * bsize < config.HALVIK_DISK_SHED_BYTES)
      await own.write(await shedOldest(client, bavail * bsize, nowUs()));
  };
  const giveWay = new GiveWay();
  /** What can wait. @returns whether there is more of it */
  const work = async (): Promise<boolean> => {
    let more = await indexNext(client, PART_ROWS, beat);
    await beat();
    const turns = [
      await traffic.turn(nowUs, beatAlone),
      await bindings.turn(beat),
      await readHistory(client, history, nowUs()),
    ];
    for (const turn of turns) {
      await own.write(turn.told);
      more ||= turn.more;
    }
    return more;
  };
  while (!stopping()) {
    const now = performance.now();
    const more = giveWay.look(await isIntakeBehind(client, nowUs()), now) ? false : await work();
    await beat();
    if (now - retentionMs > RETENTION_MS) {
      retentionMs = now;
      await own.write(await dropExpired(client, days, nowUs()));
      await pruneBindings(client, days.records, nowUs());
      await pruneSightings(client);
      await pruneBeside(client, keepTraffic, nowUs(), beat);
      await pruneShapes(client, nowUs());
      await dropReplacedParts(client, nowUs());
      while ((await closeSteps(client, keepTraffic, nowUs())) && !stopping()) await beat();
    }
    if (!more) await new Promise((resolve) => setTimeout(resolve, IDLE_MS));
  }
  await writeHeartbeat(client, "keeper", config.HALVIK_NODE, startedUs, nowUs(), { stopped: true });
}
