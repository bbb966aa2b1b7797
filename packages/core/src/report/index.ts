export { filterAskedFor } from "./asked-of.js";
export { bandsOf } from "./bands.js";
export { ASKS, MOST_BANDS, OWN_FIGURES, type OwnFigure, Part, ReportDefinition } from "./definition.js";
export { duesBetween, nextDue, Schedule, saySchedule } from "./due.js";
export { courseOfLimit, type Limit, limitFrom, nearness, pointsOf, sayLimit, sayNear } from "./limit.js";
export { Period, sayPeriod, type Window, windowBefore, windowOf } from "./period.js";
export { READY_REPORTS } from "./ready-made.js";
export {
  headingsOf,
  sayMeasure,
  sayOnly,
  sayUnit,
  type Unit,
  unitOf,
  unitOfFigure,
} from "./say-measure.js";
export { sayChange, sayOwn, sayRough, sayValue } from "./say-value.js";
