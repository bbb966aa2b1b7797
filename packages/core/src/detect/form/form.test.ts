import { parseFilter } from "../../query/filter/index.js";
import { conditionsFrom, type RecordSeen, ruleIdOf, titleOf } from "./index.js";

test("one whose name is taken is filed with a number, however long it is", () => {
  expect(ruleIdOf("linkDown", ["linkdown"])).toBe("linkdown-2");
  expect(ruleIdOf("linkDown", ["linkdown", "linkdown-2"])).toBe("linkdown-3");
  const long = "x".repeat(63);
  expect(ruleIdOf(long, [long])).toBe(`${"x".repeat(61)}-2`);
});

test.each([
  ["Refused logons", "refused-logons"],
  ["Störung: Fähre 3!", "storung-fahre-3"],
  ["—", "rule"],
  ["x".repeat(200), "x".repeat(63)],
])("“%s” is filed as %s", (name, id) => expect(ruleIdOf(name)).toBe(id));

test.each([
  [
    { name: "Refused logons", kind: "count", count: 10, key: ["src", "sender"] },
    "{count} × Refused logons from {src} on {sender}",
  ],
  [{ name: "Fan failed", kind: "count", count: 1, key: ["sender"] }, "Fan failed on {sender}"],
  [{ name: "Quiet", kind: "silence", key: ["sender", "app", "no field"] }, "Quiet on {sender}, app {app}"],
  [{}, ""],
])("a title of %j", (draft, title) => expect(titleOf(draft)).toBe(title));

const seen = (over: Partial<RecordSeen>): RecordSeen => ({
  kind: "syslog",
  category: "other",
  outcome: "unknown",
  severity: "error",
  text: "",
  ...over,
});

test.each<[string, Partial<RecordSeen>, string[]]>([
  [
    "a refused logon",
    {
      app: "sshd",
      category: "logon",
      outcome: "failure",
      text: "Failed password for invalid user k.lind from 203.0.113.9 port 40001",
    },
    ["category is logon and outcome is failure", 'app is sshd and text has "Failed password for invalid user"'],
  ],
  [
    "a trap",
    {
      kind: "snmp",
      category: "link",
      outcome: "failure",
      event: "1.3.6.1.6.3.1.1.5.3",
      eventName: "linkDown",
      text: "a",
    },
    ["category is link and outcome is failure", "event is linkDown"],
  ],
  ["a trap without a name", { kind: "snmp", event: "1.3.6.1.4.1.32473.0.1" }, ["event is 1.3.6.1.4.1.32473.0.1"]],
  [
    "a Windows event",
    {
      kind: "windows",
      app: "Microsoft-Windows-Security-Auditing",
      category: "logon",
      outcome: "failure",
      event: "4625",
    },
    ["category is logon and outcome is failure", "event is 4625 and app is Microsoft-Windows-Security-Auditing"],
  ],
  [
    "a decision",
    { kind: "firewall", category: "policy", outcome: "failure", action: "deny", policy: "edge in 9", dstPort: 22 },
    [
      "category is policy and outcome is failure",
      'action is deny and policy is "edge in 9"',
      "action is deny and dst port is 22",
    ],
  ],
  [
    "words with quotes and values",
    { app: "fan", text: 'fan-2 "said" stopped turning: 0 rpm' },
    ['app is fan and text has "stopped turning"'],
  ],
  ["nothing constant", { text: "0x3f 17/4 a.b" }, []],
])("%s", (_what, over, filters) => {
  const suggested = conditionsFrom(seen(over));
  expect(suggested.map((s) => s.filter)).toEqual(filters);
  for (const { filter } of suggested) expect(parseFilter(filter, { zone: "UTC" })).toMatchObject({ ok: true });
});
