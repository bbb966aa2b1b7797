import type { OwnSourceGroups } from "./source-groups.js";

/** Where traffic is told of; told apart by these it counts as it was exported, else each conversation once. */
export const TRAFFIC_PLACES = ["exporter", "interface", "direction", "site"] as const;

/** What sums of traffic keep values of (`core/traffic`, dimensions): one of them at a time. */
const VALUES = [
  "application",
  "protocol",
  "source",
  "destination",
  "pair",
  "service",
  "dscp",
  "tcp flags",
  "packet size",
  "as pair",
  "ip version",
  "site pair",
] as const;

const isOneOf = (names: readonly string[]) => (name: string) => names.includes(name);

/** Sums of flows, spread over the time that each took. */
export const TRAFFIC_SOURCE = {
  unit: "flows",
  by: [...VALUES, ...TRAFFIC_PLACES, "hour of day", "day of week"],
  numbers: { bytes: "bytes", packets: "packets" },
  figures: ["count", "sum"],
  only: ["exporter", "interface", "site"],
  refuses: (by) => {
    if (by.filter(isOneOf(VALUES)).length > 1) return `sums of traffic keep one of ${VALUES.join(", ")} at a time`;
    if (by.includes("direction") && !by.includes("interface")) return "a direction is one of an interface: add that";
    const places = by.filter(isOneOf(TRAFFIC_PLACES)).filter((name) => name !== "direction");
    return places.length > 1 ? `expected one of ${places.join(" and ")}` : null;
  },
} as const satisfies OwnSourceGroups;
