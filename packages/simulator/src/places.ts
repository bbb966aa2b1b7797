import type { Random } from "./random.js";

/** People of the invented company. */
export const PEOPLE = [
  "k.lind",
  "r.moe",
  "p.berg",
  "a.solli",
  "m.aune",
  "t.vik",
  "s.dahl",
  "h.strand",
  "e.nes",
  "j.holm",
] as const;

/** Hosts outside, all from blocks kept for documentation (RFC 5737). */
export const OUTSIDE = [
  "192.0.2.17",
  "192.0.2.44",
  "198.51.100.23",
  "198.51.100.61",
  "203.0.113.30",
  "203.0.113.77",
  "203.0.113.140",
] as const;

/** The company's public web server, and its address inside. */
export const WEB_SERVER = { outside: "198.51.100.4", inside: "10.20.1.31" } as const;

export const inside = (r: Random): string => `10.20.${r.int(1, 6)}.${r.int(10, 240)}`;
