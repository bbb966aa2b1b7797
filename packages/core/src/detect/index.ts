export { settledAt } from "./compile-rule.js";
export { RuleConcerns } from "./concern.js";
export { clearingOf, conditionsOf } from "./conditions.js";
export {
  type ChangedState,
  type Checkpoint,
  type EngineOptions,
  type EpisodeReport,
  LATENESS_US,
  type NearMiss,
  RuleEngine,
  type SavedState,
  type StateAddress,
  type StepResult,
} from "./engine.js";
export { type ClearedBy, type Episode, type Evidence, isUnproven, MOST_KEPT, type RuleEvent } from "./event.js";
export { type KeptRule, readKeptRule } from "./kept-rule.js";
export { splitKey } from "./key.js";
export { CountRule } from "./kinds/count/schema.js";
export type { Condition } from "./kinds/kind.js";
export type { Progress, SavedRun } from "./kinds/run.js";
export { logicOf } from "./logic.js";
export { isOfRecords, Rule, type RuleInput, ruleWindowUs, severityOf, subjectsOf, worstSeverityOf } from "./rule.js";
export { RuleFailure } from "./rule-failure.js";
export { shippedRules } from "./rules/index.js";
export { sayClear, sayRule } from "./say-rule.js";
export type { RuleTest } from "./schema/samples.js";
export { aboutOf, entityValues, findingTitle, suspectsOf } from "./title.js";
export { sayTestFailure, type TrialResult, testFailures, tryRule } from "./trial.js";
