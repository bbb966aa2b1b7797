import { type Rule, SHIPPED_RULES } from "@halvik/core/correlation";
import pg from "pg";
import { QueryTypes } from "sequelize";
import { addPerson } from "../access/people.js";
import { nowUs } from "../config/clock.js";
import type { Config } from "../config/config.js";
import type { Secrets } from "../config/secrets.js";
import { makeStarterEndpoints } from "../store/endpoint-configs.js";
import { grantStatements } from "../store/grants.js";
import { migrate } from "../store/migrate.js";
import { createModels, Person, RuleModel } from "../store/models.js";
import { connectionOf } from "../store/pool.js";

/** Schema, shipped rules and the owner account. @returns the owner's one-time password if the account was made now */
export async function setUpDatabase(config: Config, secrets: Secrets): Promise<string | null> {
  await migrate(connectionOf(config, secrets, "owner"));
  const client = new pg.Client(connectionOf(config, secrets, "owner"));
  await client.connect();
  try {
    await client.query(grantStatements());
    await makeStarterEndpoints(client);
  } finally {
    await client.end();
  }
  const models = createModels(config, secrets, "owner");
  try {
    // a rule that a newer Halvik ships comes with it; one that somebody deleted stays away
    const known = await RuleModel.sequelize!.query<{ id: string }>("select distinct id from rule_version", {
      type: QueryTypes.SELECT,
    });
    const ids = new Set(known.map((k) => k.id));
    for (const rule of SHIPPED_RULES) if (!ids.has(rule.id)) await saveRule(rule, "Halvik");
    return (await Person.count()) === 0 ? await addPerson("owner", "owner") : null;
  } finally {
    await models.close();
  }
}

/** Keeps a rule as its next version. */
export async function saveRule(rule: Rule, author: string): Promise<void> {
  const known = await RuleModel.findByPk(rule.id);
  const version = (known?.version ?? 0) + 1;
  const row = { id: rule.id, version, body: rule, author, changedUs: nowUs() };
  await RuleModel.sequelize!.transaction(async (transaction) => {
    await RuleModel.upsert(row, { transaction });
    await RuleModel.sequelize!.query(
      "insert into rule_version (id, version, body, author, changed_us) values ($1, $2, $3, $4, $5)",
      { bind: [row.id, version, JSON.stringify(rule), author, row.changedUs], transaction },
    );
  });
}
