import { CaptureFile, CaptureMessages } from "@halvik/core/decode/capture";
import { FlowDecoder } from "@halvik/core/decode/flow";
import { type Observation, PacketReader } from "@halvik/core/decode/packets";
import { readNotification, UsmUsers, usmUser } from "@halvik/core/decode/snmp";
import { parseSyslog } from "@halvik/core/decode/syslog";
import { parseEvent } from "@halvik/core/decode/windows";
import { testCrypto } from "../../core/src/testing/node/snmp-crypto.js";
import { capture, DEVICES, history, plantedStories, roster, Timeline, USM } from "./index.js";

const OPTIONS = { seed: 7, storyEveryMinutes: 2, rate: 1 };
const MINUTE = 29_760_000;
const minuteOf = (minute: number, options = OPTIONS) => new Timeline(options, testCrypto).minute(minute);

test("the same seed and minute give the same bytes; another seed others", () => {
  expect(minuteOf(MINUTE)).toEqual(minuteOf(MINUTE));
  expect(minuteOf(MINUTE, { ...OPTIONS, seed: 8 })).not.toEqual(minuteOf(MINUTE));
});

test("whatever is sent decodes in full, from the device that says it is", () => {
  const timeline = new Timeline(OPTIONS, testCrypto);
  const users = new UsmUsers([usmUser(testCrypto, USM)], testCrypto);
  const flows = new FlowDecoder();
  const seen = { syslog: 0, snmp: 0, flow: 0, windows: 0 };
  for (let i = 0; i < 40; i++)
    for (const { device, payload, arrivesUs, protocol } of timeline.minute(MINUTE + i)) {
      seen[protocol]++;
      if (protocol === "syslog") {
        const line = new TextDecoder().decode(payload);
        const message = parseSyslog(line, { receivedUs: arrivesUs, zone: "Europe/Oslo" });
        expect({ line, problem: message.problem, host: message.host }).toEqual({
          line,
          problem: null,
          host: device.name,
        });
        expect(Math.abs(message.deviceUs! - arrivesUs)).toBeLessThan(12 * 60e6);
      } else if (protocol === "snmp") {
        expect(readNotification(payload, users).version).toBe(device.snmp === "v2c inform" ? "v2c" : device.snmp);
      } else if (protocol === "flow") {
        const d = flows.decode(payload, device.alias, arrivesUs);
        expect({ problems: d.problems, held: d.held }).toEqual({ problems: [], held: 0 });
        // what a cut-off site could not send is missing, and told so
        if (device.site !== "Hestnes")
          expect({ device: device.name, missed: d.missed }).toEqual({ device: device.name, missed: 0 });
        for (const f of d.records) expect(Math.abs((f.endUs ?? arrivesUs) - arrivesUs)).toBeLessThan(12 * 60e6);
      } else expect(parseEvent(new TextDecoder().decode(payload)).computer).toBe(`${device.name}.orvane.example`);
    }
  for (const n of Object.values(seen)) expect(n).toBeGreaterThan(20);
});

test("history is a capture in order of arrival that ends where it should, and event logs beside it", () => {
  const until = (MINUTE + 60) * 60e6;
  const reader = new CaptureMessages();
  const times: number[] = [];
  let events = 0;
  for (const piece of history(until, 1 / 24, OPTIONS, testCrypto)) {
    if (piece.to === "events") events++;
    else for (const m of reader.push(piece.bytes)) if (m.type === "message") times.push(m.timeUs!);
  }
  expect([...reader.end()]).toEqual([]);
  expect(times.length).toBeGreaterThan(500);
  expect(events).toBeGreaterThan(100);
  expect(times).toEqual([...times].sort((a, b) => a - b));
  expect(times[times.length - 1]).toBeLessThan(until);
});

test("every kind of story is planted in a week, the intrusion several times", () => {
  const names = plantedStories(MINUTE * 60e6, 7, 149).map((s) => s.name);
  expect(new Set(names).size).toBe(8);
  expect(names.filter((n) => n === "intrusion").length).toBeGreaterThanOrEqual(8);
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

test("its capture holds questions, requests and handshakes; what is slow and what fails is found in it", () => {
  const file = new CaptureFile();
  const reader = new PacketReader({ keepsQueries: false });
  const until = MINUTE * 60e6;
  const told: Observation[] = [];
  for (const part of capture(until, 1))
    for (const frame of file.push(part)) {
      reader.add(frame.timeUs!, frame.linkType, frame.bytes);
      told.push(...reader.take());
    }
  told.push(...reader.end());
  const count = (what: string, event?: string) =>
    told.filter((o) => o.what === what && (event ?? o.event) === o.event).length;
  expect([
    count("dns") > 1_500,
    count("http") > 1_000,
    count("tls", "agreed") > 400,
    count("tls", "failed") > 20,
  ]).toEqual([true, true, true, true]);
  expect([count("dns", "SERVFAIL") > 10, count("dns", "no answer") > 10, count("tcp", "open")]).toEqual([
    true,
    true,
    0,
  ]);
  const theValue = (o: Observation, name: string) => o.values.find(([n]) => n === name)?.[1];
  expect(told.find((o) => o.what === "tls" && theValue(o, "certificate subject") !== undefined)?.values).toContainEqual(
    ["certificate to", "2026-12-15T12:00:00Z"],
  );
  expect(told.every((o) => o.timeUs < until && o.timeUs >= until - 41 * 60e6)).toBe(true);
});
