export type { Alarm } from "./alarm.js";
export { judge } from "./bands.js";
export { countsBy, loadOf } from "./measure.js";
export { type PastFinding, type PastOfRule, suggestFor } from "./suggest.js";
