import { RuleConcerns } from "@halvik/core/detect";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../kernel/db/pool.js";
import { loadRules, ruleVersion } from "../rules/running/repository.js";

/** The rules that run, compiled; made again when they, or what their filters name, have changed. */
export class RuleCache {
  private made: { readonly version: number; readonly concerns: RuleConcerns; readonly of: SenderDirectory } | null =
    null;

  constructor(
    private readonly db: Queryable,
    private readonly zone: string,
  ) {}

  async get(directory: SenderDirectory): Promise<RuleConcerns> {
    const version = await ruleVersion(this.db);
    if (this.made?.version !== version || this.made.of !== directory) {
      const { rules } = await loadRules(this.db);
      this.made = { version, of: directory, concerns: new RuleConcerns(rules, directory, this.zone) };
    }
    return this.made.concerns;
  }
}
