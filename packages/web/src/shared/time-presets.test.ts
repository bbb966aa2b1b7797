import { bounds } from "../data/view-store";
import { freshPage } from "../testing/fresh-page";
import { PRESETS } from "./time-presets";

freshPage();

const iso = (us: number) => new Date(us / 1_000).toISOString().slice(0, 16);
const shown = (name: string, now: string, zone: string) => {
  const nowUs = Date.parse(now) * 1_000;
  const window = PRESETS.find((p) => p.name === name)!.window(nowUs, zone);
  const { fromUs, toUs } = bounds(window, nowUs);
  return [iso(fromUs), iso(toUs), window.endUs === null ? "follows" : "stands"];
};

test.each([
  ["15 min", "2026-11-28T12:30Z", "UTC", "2026-11-28T12:15", "2026-11-28T12:30", "follows"],
  ["30 d", "2026-11-28T12:30Z", "UTC", "2026-10-29T12:30", "2026-11-28T12:30", "follows"],
  ["today", "2026-11-28T12:30Z", "Europe/Oslo", "2026-11-27T23:00", "2026-11-28T12:30", "follows"],
  ["yesterday", "2026-11-28T12:30Z", "Europe/Oslo", "2026-11-26T23:00", "2026-11-27T23:00", "stands"],
  ["last night", "2026-11-28T12:30Z", "UTC", "2026-11-27T20:00", "2026-11-28T06:00", "stands"],
  // still going on
  ["last night", "2026-11-28T03:00Z", "UTC", "2026-11-27T20:00", "2026-11-28T03:00", "follows"],
  // the day the clocks went back has 25 hours
  ["yesterday", "2026-10-26T12:00Z", "Europe/Oslo", "2026-10-24T22:00", "2026-10-25T23:00", "stands"],
])("%s at %s in %s", (name, now, zone, ...expected) => expect(shown(name, now, zone)).toEqual(expected));
