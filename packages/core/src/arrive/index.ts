export { readArrivalFilter } from "./arrival-filter.js";
export { ArrivalRule, sayArrivalRule } from "./arrival-rule.js";
export { ArrivalRules, type ReadRule, type Verdict } from "./arrival-rules.js";
