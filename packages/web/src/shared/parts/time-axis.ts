import { sayValue, type Unit } from "@halvik/core/report";
import { rem } from "../../ui/rem";
import { day, minute } from "../../ui/time";

const DAYS_FROM_US = 2 * 86_400e6;
const LOOK = { tick: { fontSize: "0.6875rem", fill: "var(--quiet)" }, stroke: "var(--line-strong)" } as const;

/** A time axis to the right: of days their beginnings are marked, so that none is said twice. For points with their moment in `at`. */
export function timeAxis(points: readonly number[], spanUs: number, zone: string) {
  const inDays = spanUs > DAYS_FROM_US;
  const midnights = points.filter((us) => minute(us, zone) === "00:00");
  return {
    ...LOOK,
    ...(inDays && midnights.length > 1 ? { ticks: midnights } : {}),
    dataKey: "at",
    type: "number",
    domain: ["dataMin", "dataMax"] as [string, string],
    tickFormatter: (us: number) => (inDays ? day(us, zone) : minute(us, zone)),
    minTickGap: rem(2.5),
  } as const;
}

/** The axis of a figure's values, upwards. */
export const valueAxis = (unit: Unit) =>
  ({ ...LOOK, width: rem(3.9), tickFormatter: (v: number) => sayValue(v, unit), tickCount: 4 }) as const;
