import { nightOf } from "./index.js";

const us = (iso: string) => Date.parse(iso) * 1000;

test.each([
  ["in the morning", "2026-11-28T07:00:00Z", 0, "2026-11-27T19:00:00Z", "2026-11-28T05:00:00Z"],
  ["in the evening", "2026-11-28T20:30:00Z", 0, "2026-11-27T19:00:00Z", "2026-11-28T05:00:00Z"],
  ["while it goes on", "2026-11-28T01:00:00Z", 0, "2026-11-27T19:00:00Z", "2026-11-28T05:00:00Z"],
  ["two nights earlier", "2026-11-28T07:00:00Z", 2, "2026-11-25T19:00:00Z", "2026-11-26T05:00:00Z"],
  // Europe/Oslo sets its clocks back on 25 October 2026 at 03:00, and on on 29 March at 02:00 (IANA time zone database)
  ["clocks set back", "2026-10-25T07:00:00Z", 0, "2026-10-24T18:00:00Z", "2026-10-25T05:00:00Z"],
  ["clocks set on", "2026-03-29T07:00:00Z", 0, "2026-03-28T19:00:00Z", "2026-03-29T04:00:00Z"],
])("%s", (_what, now, before, from, to) => {
  expect(nightOf(us(now), "Europe/Oslo", before)).toEqual({ fromUs: us(from), toUs: us(to) });
});
