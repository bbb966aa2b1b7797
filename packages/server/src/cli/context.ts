import { type Config, loadConfig } from "../kernel/config/config.js";
import { loadSecrets, type Secrets } from "../kernel/config/secrets.js";
import type { Models } from "../kernel/db/models.js";
import { type Client, connect, connectionOf } from "../kernel/db/pool.js";
import { type Act, inAct, inPlainAct, type ModelAct } from "../kernel/db/unit-of-work.js";

/** Configuration and secrets of a Halvik that has been started at least once. */
export function context(): { config: Config; secrets: Secrets } {
  const config = loadConfig(process.env);
  try {
    return { config, secrets: loadSecrets(config.HALVIK_DATA_DIR) };
  } catch (e) {
    const why =
      (e as NodeJS.ErrnoException).code === "EACCES" ? "may not be read by this user" : "has not been started yet";
    throw new Error(
      `Halvik in ${config.HALVIK_DATA_DIR} ${why}; run bin/start first, or name its directory with HALVIK_DATA_DIR`,
    );
  }
}

const noAnswer = (): Error => new Error("the database does not answer; is Halvik running? (bin/start)");

/** Runs work with the models bound, as the owner of the database. They are long to read, and only some commands need them. */
export async function withModels<T>(
  work: (c: ReturnType<typeof context> & { models: Models }) => Promise<T>,
): Promise<T> {
  const c = context();
  const { createModels } = await import("../kernel/db/models.js");
  const models = createModels(c.config, c.secrets, "owner");
  try {
    return await work({ ...c, models });
  } catch (e) {
    throw (e as { name?: string }).name === "SequelizeConnectionRefusedError" ? noAnswer() : e;
  } finally {
    await models.close();
  }
}

/** Runs work on one database connection, as the owner of the database. No models are bound. */
export async function withDb<T>(work: (db: Client, config: Config) => Promise<T>): Promise<T> {
  const { config, secrets } = context();
  const db = await connect(connectionOf(config, secrets, "owner")).catch((e: unknown) => {
    throw (e as { code?: string }).code === "ECONNREFUSED" ? noAnswer() : e;
  });
  try {
    return await work(db, config);
  } finally {
    await db.end();
  }
}

export const CLI = "command line";

/** Runs what somebody does at the command line, with its audit, as one unit of work. */
export const withAct = <T>(work: (act: Act, config: Config) => Promise<T>): Promise<T> =>
  withDb((db, config) => inPlainAct(db, CLI, (act) => work(act, config)));

/** The same, where models take part. */
export const withModelAct = <T>(work: (act: ModelAct) => Promise<T>): Promise<T> =>
  withModels(({ models }) => inAct(models, CLI, work));
