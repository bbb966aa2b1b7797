import { shippedRules } from "@halvik/core/detect";
import pg from "pg";
import { makeStarterEndpoints } from "../domains/intake/endpoints/repository.js";
import { addPerson } from "../domains/people/repository.js";
import { saveRule } from "../domains/rules/repository.js";
import { nowUs } from "../kernel/clock.js";
import type { Config } from "../kernel/config/config.js";
import type { Secrets } from "../kernel/config/secrets.js";
import { createModels, Person } from "../kernel/db/models.js";
import { connectionOf, transaction } from "../kernel/db/pool.js";
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
    await shipRules(client);
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

/** A rule that a newer Halvik ships comes with it; one that somebody deleted stays away. */
async function shipRules(client: pg.Client): Promise<void> {
  const { rows } = await client.query<{ id: string }>("select distinct id from rule_version");
  const known = new Set(rows.map((r) => r.id));
  await transaction(client, async () => {
    for (const rule of shippedRules()) if (!known.has(rule.id)) await saveRule(client, rule, "Halvik", nowUs());
  });
}
