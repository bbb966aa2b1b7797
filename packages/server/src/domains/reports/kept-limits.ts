import { readKeptRule } from "@halvik/core/detect";
import type { Queryable } from "../../kernel/db/pool.js";
import { listRules } from "../rules/repository.js";
import { isLimit, type Limit } from "./limits.js";

/** A limit that is kept, and when it was last crossed. */
export interface KeptLimit {
  readonly rule: Limit;
  readonly crossedUs: number | null;
}

/** Every limit; a rule that cannot be read any more is told of on its own page. */
export async function keptLimits(db: Queryable): Promise<KeptLimit[]> {
  return (await listRules(db)).flatMap(({ body, last_raised_us: crossedUs }) => {
    const rule = readKeptRule(body)?.rule;
    return rule !== undefined && isLimit(rule) ? [{ rule, crossedUs }] : [];
  });
}
