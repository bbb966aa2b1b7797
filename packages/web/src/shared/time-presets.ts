import { midnight, nightOf, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import type { Stretch } from "../data/view-store";

const following = (spanUs: number) => (): Stretch => ({ spanUs, endUs: null });

interface Preset {
  readonly name: string;
  readonly window: (nowUs: number, zone: string) => Stretch;
}

/** Windows people ask for by name. Days begin and end by the zone's clock: one of 23 or 25 hours is whole. */
export const PRESETS: readonly Preset[] = [
  { name: "15 min", window: following(15 * US_PER_MINUTE) },
  { name: "1 h", window: following(US_PER_HOUR) },
  { name: "6 h", window: following(6 * US_PER_HOUR) },
  { name: "24 h", window: following(24 * US_PER_HOUR) },
  { name: "3 d", window: following(3 * US_PER_DAY) },
  { name: "7 d", window: following(7 * US_PER_DAY) },
  { name: "30 d", window: following(30 * US_PER_DAY) },
  { name: "today", window: (nowUs, zone) => ({ spanUs: nowUs - midnight(nowUs, zone), endUs: null }) },
  { name: "yesterday", window: (nowUs, zone) => between(midnight(nowUs, zone, -1), midnight(nowUs, zone), nowUs) },
  {
    name: "last night",
    window: (nowUs, zone) => {
      const { fromUs, toUs } = nightOf(nowUs, zone);
      return between(fromUs, toUs, nowUs);
    },
  },
];

/** A window that ends at a moment, or follows the clock where that has not come yet. */
export const between = (fromUs: number, toUs: number, nowUs: number): Stretch =>
  toUs >= nowUs ? { spanUs: nowUs - fromUs, endUs: null } : { spanUs: toUs - fromUs, endUs: toUs };
