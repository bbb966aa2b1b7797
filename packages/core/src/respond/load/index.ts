export type { Alarm } from "./alarm.js";
export { type Band, type Judged, judge } from "./bands.js";
export { countBySource, countsBy, type Flood, type Load, loadOf } from "./measure.js";
export { type PastFinding, type PastOfRule, type Suggestion, suggestFor } from "./suggest.js";
