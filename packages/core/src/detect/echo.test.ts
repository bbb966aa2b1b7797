import fc from "fast-check";
import { SenderDirectory } from "../model/senders/index.js";
import { play } from "../testing/play.js";
import { testRecord } from "../testing/record.js";
import { EchoFinder } from "./echo.js";
import { findingTitle, Rule } from "./index.js";

const S = 1e6;
const T = 1_000 * S;
type Way = "syslog" | "snmp";
let ids = 0;
const fall = (seconds: number, kind: Way, over: object = {}) =>
  testRecord({
    id: String(++ids),
    timeUs: T + seconds * S,
    kind,
    category: "link",
    outcome: "failure",
    interface: "ge0/1",
    ...over,
  });
const counted = (records: readonly ReturnType<typeof fall>[]): number => {
  const finder = new EchoFinder();
  return records.filter((r) => !finder.isEcho(r)).length;
};

test.each<[string, ReturnType<typeof fall>[], number]>([
  ["by syslog and by trap: once", [fall(0, "syslog"), fall(0.1, "snmp")], 1],
  ["the other way first", [fall(0, "snmp"), fall(3, "syslog")], 1],
  ["twice by one way: twice", [fall(0, "syslog"), fall(1, "syslog")], 2],
  ["two falls, each by both", [fall(0, "syslog"), fall(0, "snmp"), fall(4, "syslog"), fall(4, "snmp")], 2],
  [
    "two falls, told late by the other way",
    [fall(0, "syslog"), fall(4, "syslog"), fall(5, "snmp"), fall(6, "snmp")],
    2,
  ],
  ["more than ten seconds apart", [fall(0, "syslog"), fall(11, "snmp")], 2],
  ["another port", [fall(0, "syslog"), fall(0, "snmp", { interface: "ge0/2" })], 2],
  ["another device", [fall(0, "syslog"), fall(0, "snmp", { sender: 9 })], 2],
  ["down and up", [fall(0, "syslog"), fall(0, "snmp", { outcome: "success" })], 2],
  ["no port named", [fall(0, "syslog", { interface: null }), fall(0, "snmp", { interface: null })], 2],
  [
    "a neighbour, by its address",
    [
      fall(0, "syslog", { category: "routing", interface: null, otherAddresses: ["10.0.0.3"] }),
      fall(1, "snmp", { category: "routing", interface: null, otherAddresses: ["10.0.0.3"] }),
    ],
    1,
  ],
  [
    "of other things nothing is supposed",
    [fall(0, "syslog", { category: "system health" }), fall(0, "snmp", { category: "system health" })],
    2,
  ],
])("one event heard twice counts once: %s", (_what, records, want) => expect(counted(records)).toBe(want));

test("in whatever order they come, as many count as the way that told most has told; asked again, the answer is the same", () => {
  const times = fc.array(fc.integer({ min: 0, max: 9 }), { maxLength: 8 });
  fc.assert(
    fc.property(times, times, fc.integer(), (syslog, snmp, seed) => {
      const records = [...syslog.map((t) => fall(t, "syslog")), ...snmp.map((t) => fall(t, "snmp"))];
      records.sort((a, b) => ((Number(a.id) * 7_919 + seed) % 101) - ((Number(b.id) * 7_919 + seed) % 101));
      const finder = new EchoFinder();
      const first = records.map((r) => finder.isEcho(r));
      expect(first.filter((echo) => !echo)).toHaveLength(Math.max(syslog.length, snmp.length));
      expect(records.map((r) => finder.isEcho(r))).toEqual(first);
    }),
    { seed: 6 },
  );
});

test("a rule counts falls, lists both records as evidence, and its title says so", () => {
  const rule = Rule.parse({
    kind: "count",
    id: "flaps",
    name: "flaps",
    filter: "category is link and outcome is failure",
    key: ["interface"],
    count: 3,
    windowSeconds: 600,
    severity: "warning",
    title: "{interface} went down {count} times",
    clear: { by: "quiet", seconds: 600 },
  });
  const twice = [0, 60, 120, 180].flatMap((s) => [fall(s, "syslog"), fall(s + 0.1, "snmp")]);
  const [finding] = play([rule], twice);
  expect(finding!.episode).toMatchObject({ count: 4, facts: [["heard again", 4]] });
  expect(finding!.episode.first).toHaveLength(8);
  expect(findingTitle(rule, { ...finding!.episode, key: finding!.key }, new SenderDirectory([]))).toBe(
    "ge0/1 went down 4 times, each heard twice",
  );
  // two falls heard twice are not three
  expect(play([rule], twice.slice(0, 4))).toEqual([]);
  // one that only one way told: it is not said of each
  const [mixed] = play([rule], [...twice, fall(240, "syslog"), fall(300, "syslog")]);
  expect(findingTitle(rule, { ...mixed!.episode, key: mixed!.key }, new SenderDirectory([]))).toBe(
    "ge0/1 went down 6 times",
  );
});

test("a trap of an up that comes late does not end what began after it", () => {
  const rule = Rule.parse({
    kind: "count",
    id: "down",
    name: "down",
    filter: "category is link and outcome is failure",
    key: ["interface"],
    count: 1,
    windowSeconds: 60,
    severity: "error",
    title: "t",
    clear: { by: "record", filter: "category is link and outcome is success" },
  });
  const up = { outcome: "success" };
  const found = play([rule], [fall(0, "syslog"), fall(10, "syslog", up), fall(14, "syslog"), fall(18, "snmp", up)]);
  expect(found.map((f) => f.episode.clearedBy)).toEqual(["record", null]);
});
