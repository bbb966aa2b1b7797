import pino from "pino";
import type { Config } from "../config/config.js";
import type { Secrets } from "../config/secrets.js";
import { type Client, connect, connectionOf, type DbRole } from "./pool.js";

const RECONNECT_MS = 1_000;

/**
 * Works with one connection to the database for as long as a role runs; after any failure with a new one, from the beginning.
 * @returns how to stop it
 */
export function keepSession(
  role: Exclude<DbRole, "owner" | "web" | "collector">,
  config: Config,
  secrets: Partial<Secrets>,
  work: (client: Client, stopping: () => boolean) => Promise<void>,
): () => Promise<void> {
  const log = pino({ name: role, level: config.HALVIK_LOG_LEVEL }, pino.destination(2));
  let stopping = false;
  const run = async () => {
    while (!stopping) {
      let client: Client | null = null;
      try {
        client = await connect(connectionOf(config, secrets, role));
        await work(client, () => stopping);
      } catch (e) {
        log.warn({ err: e }, `${role} session ended`);
        await new Promise((resolve) => setTimeout(resolve, RECONNECT_MS));
      } finally {
        await client?.end().catch(() => undefined);
      }
    }
  };
  const running = run();
  return async () => {
    stopping = true;
    await running;
  };
}
