export { KEY_SEPARATOR } from "./compile-rule.js";
export { type Condition, clearingOf, conditionsOf } from "./conditions.js";
export {
  type EngineOptions,
  type EpisodeReport,
  LATENESS_US,
  logicOf,
  type NearMiss,
  RuleEngine,
  type SavedState,
  type StateAddress,
  type StepResult,
} from "./engine.js";
export type { Episode, Evidence, RuleEvent } from "./event.js";
export type { Progress, SavedRun } from "./kinds/run.js";
export { CountRule, Rule, type RuleInput, type RuleKind, ruleWindowUs } from "./rule.js";
export { sayClear, sayRule } from "./say-rule.js";
export { STARTER_RULES } from "./starter-rules.js";
export { entityValues, findingTitle } from "./title.js";
