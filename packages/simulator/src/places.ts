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

/** Hosts outside that knock where nobody asked them to, and are refused. */
export const STRANGERS = [
  "192.0.2.201",
  "192.0.2.230",
  "198.51.100.131",
  "198.51.100.222",
  "203.0.113.205",
  "203.0.113.231",
] as const;

/** Where a person sits, and from where they come in at home: people have their places. */
export const deskOf = (user: string): string => {
  const n = PEOPLE.indexOf(user as (typeof PEOPLE)[number]);
  return `10.20.${1 + (n % 6)}.${100 + n}`;
};
export const homeOf = (user: string): string =>
  OUTSIDE[PEOPLE.indexOf(user as (typeof PEOPLE)[number]) % OUTSIDE.length]!;

/** The company's public web server, and its address inside. */
export const WEB_SERVER = { outside: "198.51.100.4", inside: "10.20.1.31" } as const;

export const inside = (r: Random): string => `10.20.${r.int(1, 6)}.${r.int(10, 240)}`;
