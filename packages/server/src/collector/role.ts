import { join } from "node:path";
import pino from "pino";
import { nowUs } from "../config/clock.js";
import type { Config } from "../config/config.js";
import type { Secrets } from "../config/secrets.js";
import { dropRoot } from "../start/drop-root.js";
import { connectionOf, createPool } from "../store/pool.js";
import { writeEndpoints, writeHeartbeat } from "../store/status.js";
import type { Endpoint } from "./endpoint.js";
import { Pipeline } from "./pipeline.js";
import { SenderRegistry } from "./sender-registry.js";
import { Spool } from "./spool.js";
import { TcpEndpoint } from "./tcp-endpoint.js";
import { UdpEndpoint } from "./udp-endpoint.js";

const COLLECTOR_NAME = "collector";
const STATUS_MS = 1_000;

/** Runs the collector: sockets, pipeline, status. @returns how to stop it */
export async function startCollector(config: Config, secrets: Secrets): Promise<() => Promise<void>> {
  const log = pino({ name: "collector", level: config.HALVIK_LOG_LEVEL }, pino.destination(2));
  const connection = connectionOf(config, secrets, "owner");
  const registry = new SenderRegistry(config.HALVIK_ZONE);
  const spool = new Spool(join(config.HALVIK_DATA_DIR, "spool"), config.HALVIK_SPOOL_MAX_BYTES);
  const pipeline = new Pipeline(
    { connection, collectorName: COLLECTOR_NAME, ratePerSender: config.HALVIK_SENDER_RATE_CAP },
    registry,
    spool,
    log,
  );
  const udp = new UdpEndpoint(
    "syslog over UDP",
    {
      host: config.HALVIK_LISTEN_HOST,
      port: config.HALVIK_SYSLOG_UDP_PORT,
      receiveBufferBytes: config.HALVIK_UDP_RECEIVE_BUFFER_BYTES,
    },
    pipeline,
  );
  const tcp = new TcpEndpoint(
    "syslog over TCP",
    {
      host: config.HALVIK_LISTEN_HOST,
      port: config.HALVIK_SYSLOG_TCP_PORT,
      maxMessageBytes: config.HALVIK_MAX_MESSAGE_BYTES,
      maxConnections: config.HALVIK_TCP_MAX_CONNECTIONS,
      idleSeconds: config.HALVIK_TCP_IDLE_SECONDS,
    },
    pipeline,
  );
  const endpoints: readonly Endpoint[] = [udp, tcp];
  for (const endpoint of endpoints) await endpoint.start();
  dropRoot();
  pipeline.start();

  const pool = createPool(connection, 1, 5_000);
  const startedUs = nowUs();
  let busy = false;
  const report = async () => {
    if (busy) return;
    busy = true;
    try {
      await udp.checkKernelDrops();
      await writeEndpoints(
        pool,
        endpoints.map((e) => e.status()),
        nowUs(),
      );
      const memory = process.memoryUsage.rss();
      await writeHeartbeat(pool, "collector", startedUs, nowUs(), {
        ...pipeline.counters,
        spoolBytes: pipeline.spoolBytes,
        spooling: pipeline.isSpooling,
        memoryBytes: memory,
      });
    } catch (e) {
      log.warn({ err: e }, "status could not be written");
    } finally {
      busy = false;
    }
  };
  const timer = setInterval(report, STATUS_MS);
  return async () => {
    for (const endpoint of endpoints) await endpoint.stop();
    await pipeline.stop();
    clearInterval(timer);
    await writeEndpoints(
      pool,
      endpoints.map((e) => e.status()),
      nowUs(),
    ).catch(() => undefined);
    await pool.end().catch(() => undefined);
  };
}
