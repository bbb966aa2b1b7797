import pino from "pino";
import type { Config } from "../config/config.js";
import type { Secrets } from "../config/secrets.js";
import { RUNS_ONCE } from "../node.js";
import { type Client, connect, connectionOf } from "./pool.js";

const RECONNECT_MS = 1_000;

/** Advisory locks of this class are the places of roles that run once. */
const LOCK_CLASS = 4_711_003;
const PLACE_TAKEN_MS = 200;

/**
 * Works with one connection to the database for as long as a role runs; after any failure with a new one, from the beginning. While the role
 * works on another node, or one that was killed has not been noticed yet, it waits for its place.
 * @returns how to stop it
 */
export function keepSession(
  role: (typeof RUNS_ONCE)[number],
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
        while (!stopping && !(await takePlace(client, role))) await pause(PLACE_TAKEN_MS);
        if (!stopping) await work(client, () => stopping);
      } catch (e) {
        log.warn({ err: e }, `${role} session ended`);
        await pause(RECONNECT_MS);
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

/** Takes the role's place for as long as the connection lasts. @returns whether it was free */
async function takePlace(client: Client, role: (typeof RUNS_ONCE)[number]): Promise<boolean> {
  const { rows } = await client.query<{ free: boolean }>("select pg_try_advisory_lock($1, $2) as free", [
    LOCK_CLASS,
    RUNS_ONCE.indexOf(role),
  ]);
  return rows[0]!.free;
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
