import { CLOCKS, type OwnMeasure, ownAddsUp, ownSource } from "@halvik/core/query/measure";
import { sayOnly, unitOf } from "@halvik/core/report";
import { measureOwn, type TableMeasure } from "./own-sources-repository.js";
import { bySecond, labelOfClock, type MeasureNeeds, type MeasureScope, stepsWithin, type Way } from "./way.js";

/** What is told of what Halvik writes down of itself. */
export function ownWay({ db }: MeasureNeeds, asked: TableMeasure, { step, zone, nowUs }: MeasureScope): Way {
  const isOfNow = ownSource(asked.source).isOfNow ?? false;
  return {
    ...ownAnswer(asked),
    measure: async (window) => {
      const steps = step === null || isOfNow ? null : stepsWithin(window, step, zone);
      const { rows, total } = await measureOwn(db, asked, window, steps, zone, nowUs);
      const kept = steps ?? [window.fromUs, window.toUs];
      return { rows, total, full: false, complete: true, coveredFromUs: window.fromUs, source: "own", steps: kept };
    },
    estimatedIn: async () => null,
    filterOf: () => null,
    reading: () =>
      `${asked.source}${asked.only.length === 0 ? "" : ` with ${sayOnly(asked.only)}`}${isOfNow ? ", as it is now" : ""}`,
    isOfNow,
  };
}

/** What is the same of all that is no record. */
export function ownAnswer(
  asked: OwnMeasure,
): Pick<Way, "by" | "order" | "top" | "rates" | "labelOf" | "filter" | "addsUp"> {
  const clocks = asked.by.map((name) => CLOCKS.find((c) => c === name) ?? null);
  return {
    ...asked,
    // an order by the clock is that of the clock
    by: asked.by.map((name, i) => (clocks[i] === null ? { data: name } : { clock: clocks[i]! })),
    rates: asked.perSecond ? bySecond(unitOf({ ...asked, unit: undefined, perSecond: false })) : null,
    labelOf: (i, key) => (clocks[i] === null ? key : labelOfClock(clocks[i]!, key)),
    filter: null,
    addsUp: ownAddsUp(asked),
  };
}
