import { type Rule, shippedRules } from "@halvik/core/detect";
import { ITSELF } from "../../kernel/actor.js";
import { type Client, transaction } from "../../kernel/db/pool.js";
import { rulesToShip, saveRule } from "./repository.js";

/**
 * A rule that a newer Halvik ships comes with it, and one that it ships in another version takes the place of the one before, as a version
 * of its own. One that somebody changed, switched off or deleted stays as it is.
 */
export async function shipRules(client: Client, nowUs: number, rules: readonly Rule[] = shippedRules()): Promise<void> {
  await transaction(client, async () => {
    const due = await rulesToShip(client, rules, ITSELF);
    for (const rule of rules) if (due.has(rule.id)) await saveRule(client, rule, ITSELF, nowUs);
  });
}
