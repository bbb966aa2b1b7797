import { shortNumber, thousands } from "../base/text/index.js";
import type { AnyMeasure } from "../query/measure/index.js";
import type { Unit } from "./say-measure.js";

const SUFFIX: Partial<Record<Unit, string>> = {
  bytes: "B",
  "bits/s": "b/s",
};
/** Counts below this are told by their digits. */
const DIGITS_BELOW = 1e6;

/** A value as people read it: `61.2 GB`, `1,234`, `12.3 %`, `–` where there is none. */
export function sayValue(value: number | string | null, unit: Unit): string {
  if (value === null) return "–";
  const n = Number(value);
  if (unit === "s") return sayDuration(n);
  if (unit === "%") return `${n > 0 && n < 0.05 ? "< 0.1" : n.toFixed(1)} %`;
  const suffix = SUFFIX[unit] ?? (unit.endsWith("/s") ? "/s" : undefined);
  if (suffix === "B" || suffix === "b/s" || Math.abs(n) >= DIGITS_BELOW) return shortNumber(n, suffix);
  const digits = Number.isInteger(n) || Math.abs(n) >= 100 ? thousands(n) : String(Number(n.toPrecision(3)));
  return suffix === undefined ? digits : `${digits}${suffix}`;
}

/** How it differs from before: `+12 %`, `new`, `gone`; null where nothing can be said. */
export function sayChange(value: number | string | null, before: number | string | null | undefined): string | null {
  if (before === undefined) return null;
  const [now, then] = [value === null ? 0 : Number(value), before === null ? 0 : Number(before)];
  if (now === then) return "as before";
  if (then === 0) return "new";
  if (now === 0) return "gone";
  const percent = (100 * (now - then)) / Math.abs(then);
  // more than that is told as how many times
  if (percent >= 900) return `× ${Math.round(now / then)}`;
  const rounded = Math.abs(percent) < 10 ? Number(percent.toFixed(1)) : Math.round(percent);
  return rounded === 0 ? "as before" : `${rounded > 0 ? "+" : "−"}${Math.abs(rounded)} %`;
}

/** A figure of Halvik's own. */
export function sayOwn(value: number | null, unit: "" | "records" | "datagrams" | "s" | "days" | "%"): string {
  if (value === null) return "–";
  if (unit === "s") return sayDuration(value);
  if (unit === "days") return `${value.toFixed(1)} days`;
  return unit === "%" ? sayValue(value, "%") : sayValue(value, "");
}

function sayDuration(seconds: number): string {
  if (seconds < 120) return `${Number(seconds.toPrecision(3))} s`;
  if (seconds < 7_200) return `${Math.round(seconds / 60)} min`;
  return seconds < 172_800 ? `${(seconds / 3_600).toFixed(1)} h` : `${(seconds / 86_400).toFixed(1)} d`;
}

/** What stands behind the ≈ of a measure. @param estimated how much of the total was estimated from samples, %; null: nothing */
export function sayRough({
  estimated,
  asked,
}: {
  readonly estimated: number | null;
  readonly asked: AnyMeasure;
}): string {
  if (estimated !== null)
    return `≈: estimated from samples by the exporters${estimated > 0 ? `, ${sayValue(estimated, "%")} of all` : ""}.`;
  return asked.source === "traffic"
    ? "≈: at least so much; what is too small in a step is not kept, and a period may begin within one."
    : "≈: right within 2.5 %, or at least that many different values.";
}
