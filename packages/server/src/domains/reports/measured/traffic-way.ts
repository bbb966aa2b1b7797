import type { OwnMeasure } from "@halvik/core/query/measure";
import { sayOnly, type Window } from "@halvik/core/report";
import { derivedBefore } from "../../../store/traffic/derive-sums.js";
import { keptSince } from "../../../store/traffic/read-sums.js";
import { measureTraffic, type TrafficMeasured } from "./measure-traffic.js";
import { ownAnswer } from "./own-way.js";
import { type MeasureNeeds, type MeasureScope, stepsWithin, type Way } from "./way.js";

/** What is told by sums of traffic rather than by flows. */
export async function trafficWay(needs: MeasureNeeds, asked: OwnMeasure, scope: MeasureScope): Promise<Way> {
  const { step, zone, nowUs, senders: within } = scope;
  const { minuteDays, fiveDays, interfaceNames } = needs.traffic;
  const reading = {
    ...needs,
    ...{ nowUs, within },
    interfaceName: await interfaceNames(),
    minuteSinceUs: keptSince(minuteDays, nowUs),
    kept: { fiveSinceUs: keptSince(fiveDays, nowUs), derived: await derivedBefore(needs.db) },
  };
  const measured = new Map<Window, TrafficMeasured>();
  return {
    ...ownAnswer(asked),
    measure: async (window) => {
      const steps = step === null ? null : stepsWithin(window, step, zone);
      const told = await measureTraffic(reading, asked, window, steps, zone);
      measured.set(window, told);
      const { rows, total, full } = told;
      const kept = steps ?? [window.fromUs, window.toUs];
      return { rows, total, full, complete: true, coveredFromUs: window.fromUs, source: "rollups", steps: kept };
    },
    estimatedIn: async (window) => measured.get(window)?.estimated ?? null,
    filterOf: (keys) => measured.get(scope.window)?.filterOf(keys) ?? null,
    reading: () => sayTraffic(asked) + saySmall(measured.get(scope.window)?.small ?? 0),
    isOfNow: false,
  };
}

/** Of which traffic, and how often a conversation counts in it. */
function sayTraffic({ by, only }: OwnMeasure): string {
  const isExported = by.includes("exporter") || by.includes("interface") || only.some((o) => o.by !== "site");
  const counted = isExported
    ? "as exported"
    : by.includes("site")
      ? "each conversation once at a site"
      : "each conversation once";
  return `${only.length === 0 ? "" : `${sayOnly(only)}, `}${counted}, spread over its time`;
}

const saySmall = (share: number): string =>
  share < 0.0005 ? "" : `; ${(100 * share).toFixed(1)} % of it in values too small to be kept by step`;
