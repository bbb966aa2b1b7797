import type { Duplex } from "node:stream";
import pg from "pg";
import type { Config } from "../config/config.js";
import type { Secrets } from "../config/secrets.js";

// counts and µs fit a number; record ids and the octets and packets of records do not and are always selected as text
pg.defaults.parseInt8 = true;

export const DB_OWNER = "halvik";

/** As whom to connect: the owner of all tables, or one of the processes, each with the rights it needs (`grants.ts`). */
export type DbRole = "owner" | "web" | "collector" | "engine" | "keeper" | "notifier";

const PASSWORD_OF = {
  owner: "dbOwnerPassword",
  web: "dbWebPassword",
  collector: "dbCollectorPassword",
  engine: "dbEnginePassword",
  keeper: "dbKeeperPassword",
  notifier: "dbNotifierPassword",
} as const satisfies Record<DbRole, keyof Secrets>;

/** @param secrets those of the one who connects, at least */
export function connectionOf(config: Config, secrets: Partial<Secrets>, role: DbRole): pg.ClientConfig {
  const password = secrets[PASSWORD_OF[role]];
  if (password === undefined) throw new Error(`this process has no password for the database role ${role}`);
  return {
    host: config.HALVIK_DB_HOST,
    port: config.HALVIK_DB_PORT,
    database: config.HALVIK_DB_NAME,
    user: role === "owner" ? DB_OWNER : `${DB_OWNER}_${role}`,
    password,
    // a busy machine is slow, not gone; one that is gone refuses at once
    connectionTimeoutMillis: 10_000,
    keepAlive: true,
  };
}

export function createPool(connection: pg.ClientConfig, max: number, statementTimeoutMs: number): pg.Pool {
  const pool = new pg.Pool({ ...connection, max, statement_timeout: statementTimeoutMs, idleTimeoutMillis: 30_000 });
  // a dropped idle connection is replaced at the next use; without a listener it would end the process
  pool.on("error", () => undefined);
  return pool;
}

export type Queryable = Pick<pg.ClientBase, "query"> | pg.Pool;
/** A pool, a connection of its own, and how to reach the database, for those who only hand them on. */
export type Pool = pg.Pool;
export type Client = pg.Client;
export type Connection = pg.ClientConfig;

/**
 * A connection of its own, for a session's state: transactions, notifications, locks.
 * @param onError told when it breaks; a failed query says so too
 */
export async function connect(
  connection: Connection,
  onError: (client: Client) => void = () => undefined,
): Promise<Client> {
  const client = new pg.Client(connection);
  client.on("error", () => onError(client));
  try {
    await client.connect();
  } catch (e) {
    destroy(client);
    throw e;
  }
  return client;
}

/** Ends a connection without waiting for the other end, which may hang. */
export function destroy(client: Client): void {
  (client as unknown as { connection: { stream: Duplex } }).connection.stream.destroy();
  client.end().catch(() => undefined);
}

/** Runs work that needs one connection throughout on this one, or on one of the pool. */
export async function onConnection<T>(db: Queryable, work: (client: pg.ClientBase) => Promise<T>): Promise<T> {
  if (!(db instanceof pg.Pool)) return work(db as pg.ClientBase);
  const client = await db.connect();
  let failed: unknown;
  try {
    return await work(client);
  } catch (e) {
    failed = e;
    throw e;
  } finally {
    // what failed halfway is not handed on
    client.release(failed !== undefined);
  }
}

/** Runs work on a connection, all of it or none. */
export async function transaction<T>(client: Queryable, work: () => Promise<T>): Promise<T> {
  await client.query("begin");
  try {
    const result = await work();
    await client.query("commit");
    return result;
  } catch (e) {
    await client.query("rollback").catch(() => undefined);
    throw e;
  }
}

/** Work within a transaction that may fail by itself. @param survives whether the transaction goes on after such a failure, if it can */
export async function savepoint(
  client: Queryable,
  work: () => Promise<void>,
  survives: (e: unknown) => boolean,
): Promise<void> {
  await client.query("savepoint part");
  try {
    await work();
    await client.query("release savepoint part");
  } catch (e) {
    if (!survives(e)) throw e;
    await client.query("rollback to savepoint part");
    // gone with what it undid: what goes on around it may have one of the same name
    await client.query("release savepoint part");
  }
}
