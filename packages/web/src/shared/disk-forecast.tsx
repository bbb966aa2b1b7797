import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { capacityQuery } from "../data/intake-queries";
import { presentUs, useViewStore, usOf } from "../data/view-store";
import { day } from "../ui/time";

/** Sooner than this the day is worth a word where nobody asked for it. */
const NEAR_US = 90 * 86_400e6;

/** When the disk is full at the rate of today. @param always also where that is far or never */
export function DiskForecast({ always = false }: { always?: boolean }) {
  const zone = useViewStore((s) => s.zone);
  const { data } = useQuery({ ...capacityQuery({}), refetchInterval: 600_000 });
  if (data === undefined) return null;
  const { full } = data.now;
  if (full === null || usOf(full) - presentUs() > NEAR_US) {
    if (!always) return null;
    return (
      <span className="text-quiet">
        At the rate of today the disk {full === null ? "does not get full" : `is full on ${day(usOf(full), zone)}`}.{" "}
        <Link to="/intake/plan">Plan</Link>
      </span>
    );
  }
  return (
    <b className="text-vermilion">
      At the rate of today the disk is full on {day(usOf(full), zone)}. <Link to="/intake/plan">Plan</Link>
    </b>
  );
}
