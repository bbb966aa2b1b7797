export type { Brought } from "./accumulators.js";
export {
  type Accumulated,
  addsUp,
  CLOCKS,
  type Clock,
  Figure,
  Grouping,
  MeasureAsked,
  NumberOf,
  OF_NUMBERS,
} from "./asked.js";
export { AMOUNTS, type Amount, MEASURES, type Measure } from "./measure.js";
export {
  AnyMeasure,
  byTheWeek,
  isOwn,
  OWN_SOURCE_NAMES,
  OWN_SOURCES,
  OwnFigureOf,
  OwnMeasure,
  type OwnSource,
  ownAddsUp,
  ownSource,
  WeekMeasure,
} from "./own.js";
export { ranked } from "./ranked.js";
export { clockValue, type Measured, type MeasuredRow, Tally } from "./tally.js";
