export { readArrivalFilter } from "./arrival-filter.js";
export { ArrivalRule, judge, type ReadyRule, sayArrivalRule, type Verdict } from "./arrival-rule.js";
