import { day, minute } from "../../ui/time";

const DAYS_FROM_US = 2 * 86_400e6;

/** How a time axis to the right is marked: of days their beginnings, so that none is said twice. */
export function timeAxis(points: readonly number[], spanUs: number, zone: string) {
  const inDays = spanUs > DAYS_FROM_US;
  const midnights = points.filter((us) => minute(us, zone) === "00:00");
  return {
    ticks: inDays && midnights.length > 1 ? { ticks: midnights } : {},
    label: (us: number) => (inDays ? day(us, zone) : minute(us, zone)),
  };
}
