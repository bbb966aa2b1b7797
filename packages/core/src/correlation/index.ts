export { type CountEvent, CountKey, type CountLogic, type Episode, type Evidence, type SettledState } from "./count.js";
export {
  type EpisodeReport,
  KEY_SEPARATOR,
  LATENESS_US,
  RuleEngine,
  type SavedState,
  type StateAddress,
  type StepResult,
} from "./engine.js";
export { CountRule, Rule, sayClear, sayRule } from "./rule.js";
export { STARTER_RULES } from "./starter-rules.js";
export { entityValues, findingTitle } from "./title.js";
