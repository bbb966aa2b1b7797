export { settledAt } from "./compile-rule.js";
export { RuleConcerns } from "./concern.js";
export { conditionsOf } from "./conditions.js";
export { LATENESS_US, RuleEngine } from "./engine.js";
export type {
  ChangedState,
  Checkpoint,
  EpisodeReport,
  SavedState,
  StateAddress,
  StepResult,
} from "./engine-data.js";
export { type ClearedBy, type Episode, type Evidence, isUnproven, MOST_KEPT, type RuleEvent } from "./event.js";
export { type KeptRule, readKeptRule } from "./kept-rule.js";
export { splitKey } from "./key.js";
export type { Brief, Progress, SavedRun } from "./kinds/run.js";
export { logicOf } from "./logic.js";
export { isOfRecords, Rule, type RuleInput, ruleWindowUs, severityOf, subjectsOf, worstSeverityOf } from "./rule.js";
export { RuleFailure } from "./rule-failure.js";
export { shippedRules } from "./rules/index.js";
export { sayClear, sayRule } from "./say-rule.js";
export { aboutOf, entityValues, findingTitle, suspectsOf } from "./title.js";
export { sayTestFailure, testFailures, tryRule } from "./trial.js";
