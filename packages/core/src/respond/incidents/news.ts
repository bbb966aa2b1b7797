import type { EpochUs } from "../../base/time/index.js";
import type { Severity } from "../../model/record/index.js";
import { NEAR_US } from "./links.js";

/** An incident as far as a person has seen it, or as it is. */
export interface Extent {
  readonly severity: Severity;
  readonly entities: readonly string[];
  readonly rules: readonly string[];
  readonly lastUs: EpochUs;
}

/** What an acknowledgement covered; those kept by earlier versions say nothing of rules. */
export type SeenEvidence = Pick<Extent, "severity" | "entities"> & Partial<Pick<Extent, "rules">>;

/** News that is no entity, as it is kept and said. */
export const NEWS = { severity: "severity", rule: "another rule", evidence: "evidence after a pause" } as const;

/**
 * What is new since a person acknowledged (`docs/semantics.md` 26): a worse severity, another rule, an entity not named before, and evidence
 * after a pause. What only goes on is not: it was seen going on.
 * @param beforeUs the last evidence before this
 */
export function newSinceSeen(seen: SeenEvidence, now: Extent, beforeUs: EpochUs): string[] {
  const fresh: string[] = [];
  if (now.severity < seen.severity) fresh.push(NEWS.severity);
  if (seen.rules !== undefined && now.rules.some((r) => !seen.rules!.includes(r))) fresh.push(NEWS.rule);
  const known = new Set(seen.entities);
  fresh.push(...now.entities.filter((e) => !known.has(e)));
  if (fresh.length === 0 && now.lastUs - beforeUs > NEAR_US) fresh.push(NEWS.evidence);
  return fresh;
}
