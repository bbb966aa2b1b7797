export { settledAt } from "./compile-rule.js";
export { RuleConcerns } from "./concern.js";
export { clearingOf, conditionsOf } from "./conditions.js";
export { LATENESS_US, RuleEngine } from "./engine.js";
export type {
  ChangedState,
  Checkpoint,
  EngineOptions,
  EpisodeReport,
  NearMiss,
  SavedState,
  StateAddress,
  StepResult,
} from "./engine-data.js";
export { type ClearedBy, type Episode, type Evidence, isUnproven, MOST_KEPT, type RuleEvent } from "./event.js";
export { type KeptRule, readKeptRule } from "./kept-rule.js";
export { splitKey } from "./key.js";
export { CountRule } from "./kinds/count/schema.js";
export type { Condition } from "./kinds/kind.js";
export type { Brief, KeptRun, Progress, SavedRun } from "./kinds/run.js";
export { logicOf } from "./logic.js";
export { isOfRecords, Rule, type RuleInput, ruleWindowUs, severityOf, subjectsOf, worstSeverityOf } from "./rule.js";
export { RuleFailure } from "./rule-failure.js";
export { shippedRules } from "./rules/index.js";
export { sayClear, sayRule } from "./say-rule.js";
export type { RuleTest } from "./schema/samples.js";
export { aboutOf, entityValues, findingTitle, suspectsOf } from "./title.js";
export { sayTestFailure, type TrialResult, testFailures, tryRule } from "./trial.js";
