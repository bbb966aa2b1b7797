import { CaptureMessages } from "@halvik/core/capture";
import { parseSyslog } from "@halvik/core/syslog";
import { DEVICES, historyCapture, minuteOf, roster } from "./index.js";

const OPTIONS = { seed: 7, storyEveryMinutes: 2, rate: 1 };
const MINUTE = 29_760_000;

test("the same seed and minute give the same bytes; another seed others", () => {
  expect(minuteOf(MINUTE, OPTIONS)).toEqual(minuteOf(MINUTE, OPTIONS));
  expect(minuteOf(MINUTE, { ...OPTIONS, seed: 8 })).not.toEqual(minuteOf(MINUTE, OPTIONS));
});

test("every message is syslog that decodes in full, from the device that says it is", () => {
  for (let i = 0; i < 30; i++)
    for (const { device, line, arrivesUs } of minuteOf(MINUTE + i * 37, OPTIONS)) {
      const message = parseSyslog(line, { receivedUs: arrivesUs, zone: "Europe/Oslo" });
      expect({ line, problem: message.problem, host: message.host }).toEqual({
        line,
        problem: null,
        host: device.name,
      });
      expect(Math.abs(message.deviceUs! - arrivesUs)).toBeLessThan(12 * 60e6);
    }
});

test("history is a capture in order of arrival that ends where it should", () => {
  const until = (MINUTE + 60) * 60e6;
  const reader = new CaptureMessages();
  const times: number[] = [];
  for (const piece of historyCapture(until, 1 / 24, OPTIONS))
    for (const m of reader.push(piece)) if (m.type === "syslog") times.push(m.timeUs!);
  expect([...reader.end()]).toEqual([]);
  expect(times.length).toBeGreaterThan(500);
  expect(times).toEqual([...times].sort((a, b) => a - b));
  expect(times[times.length - 1]).toBeLessThan(until);
});

test("about sixty devices, each with a name, an address and an alias of its own, reached without circles", () => {
  expect(DEVICES.length).toBeGreaterThanOrEqual(60);
  for (const key of ["name", "address", "alias"] as const)
    expect(new Set(DEVICES.map((d) => d[key])).size).toBe(DEVICES.length);
  const senders = roster();
  for (const s of senders) {
    const seen = new Set<number>();
    for (let at = s.reachedThrough; at !== null; at = senders[at - 1]!.reachedThrough) {
      expect(seen.has(at)).toBe(false);
      seen.add(at);
    }
  }
});
