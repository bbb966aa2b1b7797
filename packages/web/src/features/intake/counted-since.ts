import { type SenderPortrait, WAY_COUNTS, type WayCounts, wayCounts } from "@halvik/contract/senders";
import { useState } from "react";
import { usOf } from "../../data/view-store";

type Way = SenderPortrait["ways"][number];

/** When somebody began to count anew, and what the hour that went on then had by each way in already. */
interface Begun {
  readonly atUs: number;
  readonly before: Readonly<Record<string, Partial<WayCounts>>>;
}

const HOUR_US = 3_600e6;
const keyOf = (sender: number): string => `halvik.counted-since.${sender}`;

/** What came of a sender since one began to count anew on this machine; of the last days, where that is longer ago, or never was. */
export function useCountedSince(sender: number, { from, ways }: SenderPortrait) {
  const [begun, setBegun] = useState(() => readBegun(sender));
  const fromUs = usOf(from);
  const since = begun !== null && begun.atUs > fromUs ? begun : null;
  const begin = (nowUs: number | null) => {
    const next =
      nowUs === null
        ? null
        : {
            atUs: nowUs,
            before: Object.fromEntries(ways.map((w) => [w.endpoint, w.hours[hourAt(nowUs, fromUs)] ?? wayCounts()])),
          };
    if (next === null) localStorage.removeItem(keyOf(sender));
    else localStorage.setItem(keyOf(sender), JSON.stringify(next));
    setBegun(next);
  };
  const counted = (way: Way): WayCounts => {
    const first = since === null ? 0 : hourAt(since.atUs, fromUs);
    const sum = wayCounts();
    for (const hour of way.hours.slice(first)) for (const name of WAY_COUNTS) sum[name] += hour[name];
    const before = wayCounts(since?.before[way.endpoint]);
    // it may have been forgotten and begun anew meanwhile
    for (const name of WAY_COUNTS) sum[name] = Math.max(0, sum[name] - before[name]);
    return sum;
  };
  return { sinceUs: since?.atUs ?? null, begin, counted };
}

const hourAt = (us: number, fromUs: number): number => Math.floor((us - fromUs) / HOUR_US);

function readBegun(sender: number): Begun | null {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(keyOf(sender)) ?? "null");
    const isBegun = typeof kept === "object" && kept !== null && "atUs" in kept && "before" in kept;
    return isBegun && typeof kept.atUs === "number" ? (kept as Begun) : null;
  } catch {
    // written by something else: begun anew
    return null;
  }
}
