import pg from "pg";
import { makeStarterEndpoints } from "../domains/intake/endpoints/repository.js";
import { addPerson } from "../domains/people/repository.js";
import { shipRules } from "../domains/rules/ship-rules.js";
import { nowUs } from "../kernel/clock.js";
import type { Config } from "../kernel/config/config.js";
import type { Secrets } from "../kernel/config/secrets.js";
import { createModels, Person } from "../kernel/db/models.js";
import { connectionOf } from "../kernel/db/pool.js";
import { prepareJobs } from "../kernel/jobs/jobs.js";
import { grantStatements } from "../store/grants.js";
import { migrate } from "../store/migrate.js";

/** Schema, shipped rules and the owner account. @returns the owner's one-time password if the account was made now */
export async function setUpDatabase(config: Config, secrets: Secrets): Promise<string | null> {
  const owner = connectionOf(config, secrets, "owner");
  await migrate(owner);
  await prepareJobs(owner);
  const client = new pg.Client(owner);
  await client.connect();
  try {
    await client.query(grantStatements());
    await makeStarterEndpoints(client);
    await shipRules(client, nowUs());
  } finally {
    await client.end();
  }
  const models = createModels(config, secrets, "owner");
  try {
    return (await Person.count()) === 0 ? await addPerson("owner", "owner") : null;
  } finally {
    await models.close();
  }
}
