export { ArrivalRule, judge, type ReadyRule, sayArrivalRule, type Verdict } from "./arrival-rule.js";
