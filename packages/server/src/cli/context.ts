import { type Config, loadConfig } from "../kernel/config/config.js";
import { loadSecrets, type Secrets } from "../kernel/config/secrets.js";
import { createModels } from "../kernel/db/models.js";
import { type Client, connect, connectionOf } from "../kernel/db/pool.js";
import { type Act, inAct } from "../kernel/db/unit-of-work.js";

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

/** Runs work with the models bound, as the owner of the database. */
export async function withModels<T>(
  work: (c: ReturnType<typeof context> & { models: ReturnType<typeof createModels> }) => Promise<T>,
): Promise<T> {
  const c = context();
  const models = createModels(c.config, c.secrets, "owner");
  try {
    return await work({ ...c, models });
  } catch (e) {
    if ((e as { name?: string }).name === "SequelizeConnectionRefusedError")
      throw new Error("the database does not answer; is Halvik running? (bin/start)");
    throw e;
  } finally {
    await models.close();
  }
}

/** Runs work on one database connection, with the models bound. */
export const withDb = <T>(work: (db: Client, config: Config) => Promise<T>): Promise<T> =>
  withModels(async ({ config, secrets }) => {
    const db = await connect(connectionOf(config, secrets, "owner"));
    try {
      return await work(db, config);
    } finally {
      await db.end();
    }
  });

export const CLI = "command line";

/** Runs what somebody does at the command line, with its audit, as one unit of work. */
export const withAct = <T>(work: (act: Act, config: Config) => Promise<T>): Promise<T> =>
  withModels(({ models, config }) => inAct(models, CLI, (act) => work(act, config)));
