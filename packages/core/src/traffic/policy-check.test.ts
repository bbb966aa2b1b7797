import { US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "../base/time/index.js";
import type { Action, HalvikRecord } from "../model/record/index.js";
import { testRecord } from "../testing/record.js";
import { PolicyCheck } from "./policy-check.js";

const T = 1_764_331_200 * US_PER_SECOND;
const ENDS = { src: "10.20.4.31", dst: "203.0.113.9", protocol: 6 } as const;
const decided = (
  atS: number,
  action: Action,
  dstPort: number,
  policy: string | null = "web",
  sender = 1,
): HalvikRecord =>
  testRecord({
    kind: "firewall",
    ...ENDS,
    dstPort,
    action,
    sender,
    timeUs: T + atS * US_PER_SECOND,
    data:
      policy === null
        ? []
        : [
            ["policy", policy],
            ["src zone", "office"],
            ["dst zone", "outside"],
          ],
  });
const flowed = (fromS: number, toS: number, dstPort: number, packets = 40): HalvikRecord =>
  testRecord({
    kind: "flow",
    ...ENDS,
    dstPort,
    bytes: packets * 1_000,
    packets,
    timeUs: T + toS * US_PER_SECOND,
    flow: { startUs: T + fromS * US_PER_SECOND } as HalvikRecord["flow"],
  });
const check = (records: readonly HalvikRecord[]): PolicyCheck => {
  const all = new PolicyCheck();
  for (const r of records) all.add(r);
  return all;
};
const LATER = T + 3 * US_PER_HOUR;

test("a web server that lets in 80 and not 443 shows accepts on 80 and rejects on 443", () => {
  const all = check([
    decided(0, "accept", 80),
    decided(60, "accept", 80),
    decided(10, "reject", 443, "no-tls"),
    flowed(0, 30, 80),
    flowed(60, 90, 80),
  ]);
  expect(all.ports()).toEqual([
    { port: 80, protocol: 6, decided: { accept: 2, deny: 0, reject: 0 }, flows: 2, bytes: 80_000 },
    { port: 443, protocol: 6, decided: { accept: 0, deny: 0, reject: 1 }, flows: 0, bytes: 0 },
  ]);
  expect(all.policies()).toEqual([
    {
      action: "accept",
      sender: 1,
      policy: "web",
      zones: ["office", "outside"],
      count: 2,
      firstUs: T,
      lastUs: T + 60 * US_PER_SECOND,
    },
    expect.objectContaining({ action: "reject", policy: "no-tls", count: 1 }),
  ]);
  expect(all.contradictions(LATER)).toEqual([]);
});

test.each<[string, readonly HalvikRecord[], readonly string[]]>([
  ["denied, and only tried", [decided(0, "deny", 22), flowed(0, 9, 22, 3)], []],
  ["denied, and yet much flowed", [decided(0, "deny", 22), flowed(0, 30, 22)], ["denied and yet flowed"]],
  [
    "denied, then let in at once by another rule",
    [decided(0, "deny", 22), decided(5, "accept", 22), flowed(5, 30, 22)],
    [],
  ],
  ["denied in the morning, flowed in the evening", [decided(0, "deny", 22), flowed(7_000, 7_100, 22)], []],
  ["accepted, and nothing of it seen", [decided(0, "accept", 25), flowed(0, 10, 80)], ["accepted and nothing flowed"]],
  ["accepted, where no exporter looks", [decided(0, "accept", 25)], []],
  ["accepted in the middle of a long flow", [decided(600, "accept", 25), flowed(0, 1_200, 25)], []],
  [
    "accepted by another policy than before",
    [decided(0, "accept", 80), decided(60, "accept", 80, "temporary"), flowed(0, 90, 80)],
    ["accepted by another policy"],
  ],
  [
    "each device has its own policies",
    [decided(0, "accept", 80), decided(1, "accept", 80, "core", 2), flowed(0, 90, 80)],
    [],
  ],
])("%s", (_, records, want) => {
  expect(
    check(records)
      .contradictions(LATER)
      .map((c) => c.code),
  ).toEqual(want);
  expect(
    check([...records].reverse())
      .contradictions(LATER)
      .map((c) => c.code),
  ).toEqual(want);
});

test("what was accepted a moment ago may still be told of", () =>
  expect(check([decided(0, "accept", 25), flowed(0, 10, 80)]).contradictions(T + 10 * US_PER_MINUTE)).toEqual([]));

test("records without ends or policy are counted, and compared with nothing", () => {
  const all = check([{ ...decided(0, "deny", 22, null), src: null }, testRecord({ kind: "syslog" })]);
  expect(all.counts).toEqual({ decisions: 1, flows: 0 });
  expect(all.policies()[0]).toMatchObject({ policy: null, zones: [null, null] });
  expect(all.contradictions(LATER)).toEqual([]);
});
