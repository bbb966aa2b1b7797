import { SENDER_COUNTS, type WayCounts } from "@halvik/contract/senders";

/** What is counted of a sender at an endpoint, and when the last of it came. */
export type WayTally = WayCounts & { lastUs: number };

/** What is counted of a sender by all its ways in together; each is a column. */
export const ACTIVITY_COUNTS = [...SENDER_COUNTS, "held", "heldRefused"] as const;
export type ActivityCounts = Record<(typeof ACTIVITY_COUNTS)[number], number>;
export const noActivity = (): ActivityCounts =>
  Object.fromEntries(ACTIVITY_COUNTS.map((name) => [name, 0])) as ActivityCounts;
