import fc from "fast-check";
import type { HalvikRecord } from "../model/record/index.js";
import { SenderDirectory } from "../model/senders/index.js";
import { parseFilter } from "../query/filter/index.js";
import { testRecord } from "../testing/record.js";
import { ArrivalRule, ArrivalRules, type ReadRule, readArrivalFilter, sayArrivalRule } from "./index.js";

const directory = new SenderDirectory([]);
const read = (id: number, rule: object): ReadRule => {
  const made = ArrivalRule.parse({ name: `rule ${id}`, filter: "severity is debug", does: "mark", ...rule });
  const parsed = parseFilter(made.filter, { zone: "UTC", directory });
  if (!parsed.ok) throw new Error(parsed.error.message);
  return { id, rule: made, filter: parsed.filter };
};
const judge = (rules: readonly ReadRule[], record: HalvikRecord) => new ArrivalRules(rules, directory, 0).judge(record);
const debug = testRecord({ severity: 7, app: "cron", data: [["a", "1"]] });

test.each<[name: string, rules: readonly object[], want: object]>([
  ["nothing matches: as it came", [{ filter: "app is sshd", does: "drop" }], { droppedBy: null, met: [] }],
  ["dropped by the first that says so", [{ does: "drop" }, { does: "drop" }], { droppedBy: 0, met: [0] }],
  ["kept: a later drop is not asked", [{ does: "keep" }, { does: "drop" }], { droppedBy: null, met: [0] }],
  [
    "marks add up, the last word on severity and days holds",
    [
      { severity: { to: 4 }, tag: "one", keepDays: 7 },
      { filter: "app is cron", severity: { by: -1 }, tag: "two", keepDays: 90, expected: true, category: "service" },
    ],
    {
      met: [0, 1],
      keepDays: 90,
      record: {
        severity: 3,
        category: "service",
        originalSeverity: "debug",
        data: [
          ["a", "1"],
          ["tag", "one"],
          ["tag", "two"],
        ],
        marks: expect.arrayContaining(["expected"]),
      },
    },
  ],
  [
    "a later rule sees what an earlier one made of it",
    [{ severity: { to: 2 } }, { filter: "severity is debug", does: "drop" }],
    { droppedBy: null, met: [0], record: { severity: 2 } },
  ],
  ["severity ends at its ends", [{ severity: { by: 7 } }], { record: { severity: 7 } }],
  ["the kind's own word for it stays", [{ severity: { to: 0 } }], { record: { originalSeverity: "debug" } }],
])("%s", (_, rules, want) => {
  expect(
    judge(
      rules.map((r, i) => read(i, r)),
      debug,
    ),
  ).toMatchObject(want);
});

test("its own word for severity is not replaced", () => {
  const record = { ...debug, originalSeverity: "4 information" };
  expect(judge([read(1, { severity: { to: 0 } })], record).record.originalSeverity).toBe("4 information");
});

test.each([
  ["app is cron", true],
  ["time last 10 min", false],
  ["app is cron and not (kind is snmp or arrival last 2 h)", false],
  ["severty is 3", false],
])("a filter may not go by when one looks: %s", (text, ok) => {
  expect(readArrivalFilter(text, directory).ok).toBe(ok);
});

test("whatever the rules: the record that came is not changed, and each rule is met once at most", () => {
  const some = fc.array(
    fc.record({
      does: fc.constantFrom("mark", "keep"),
      filter: fc.constantFrom("severity is debug", "app is cron", "not severity is debug"),
      severity: fc.oneof(fc.record({ to: fc.nat(7) }), fc.record({ by: fc.integer({ min: -7, max: 7 }) })),
    }),
    { maxLength: 12 },
  );
  const before = JSON.stringify(debug);
  fc.assert(
    fc.property(some, (rules) => {
      const { met, record } = judge(
        rules.map((r, i) => read(i, r)),
        debug,
      );
      expect(JSON.stringify(debug)).toBe(before);
      expect(new Set(met).size).toBe(met.length);
      expect([...met].sort((a, b) => a - b)).toEqual(met);
      expect(record.severity).toBeGreaterThanOrEqual(0);
      expect(record.severity).toBeLessThanOrEqual(7);
    }),
  );
});

test.each<[rule: object, want: string | null]>([
  [{ does: "drop" }, "is dropped, and counted"],
  [{ does: "keep" }, "is kept; no further rule is asked"],
  [{ keepDays: 1, tag: "noise" }, "is kept for one day, gets the tag “noise”"],
  [{ severity: { by: -2 }, expected: true }, "becomes 2 steps more severe, is marked as expected"],
  [{ severity: { to: 3 }, category: "link" }, "becomes error, is about link"],
  // refused
  [{}, null],
  [{ does: "drop", tag: "x" }, null],
  [{ tag: "a\nb" }, null],
  [{ keepDays: 2 }, null],
  [{ tag: "x", filter: " " }, null],
])("%j: %s", (rule, want) => {
  const read = ArrivalRule.safeParse({ name: "a", filter: "app is cron", does: "mark", ...rule });
  expect(read.success ? sayArrivalRule(read.data) : null).toBe(want);
});

test("a rule that a mark makes concern the record is asked; of those that could match by nothing, none is", () => {
  const rules = [
    read(1, { filter: "app is cron", category: "link" }),
    read(2, { filter: "category is link", tag: "made one" }),
    read(3, { filter: "category is other", tag: "no more" }),
    ...Array.from({ length: 20 }, (_, i) => read(10 + i, { filter: `app is other-${i}`, does: "drop" })),
  ];
  expect(judge(rules, debug)).toMatchObject({ met: [1, 2], record: { category: "link" } });
});

test("asked by what they name, they come to what they come to asked one after another", () => {
  const filters = fc.constantFrom(
    "app is cron",
    "app is CRON or app is sshd",
    'text has "tern"',
    "not app is cron",
    "severity is debug and app is cron",
    "category is link",
    "kind is syslog",
    "src within 10.0.0.0/8",
  );
  const rule = fc.record({
    filter: filters,
    does: fc.constantFrom("mark", "keep", "drop"),
    category: fc.constantFrom("link", "service", null),
  });
  const record = fc.record({
    app: fc.constantFrom("cron", "sshd", null),
    text: fc.constantFrom("a Tern", "no"),
    src: fc.constantFrom("10.0.0.1", null),
  });
  fc.assert(
    fc.property(fc.array(rule, { maxLength: 12 }), record, (made, parts) => {
      const rules = made.map(({ does, category, ...m }, i) =>
        read(i, does === "drop" ? { ...m, does } : { ...m, does, category, tag: `t${i}` }),
      );
      const one = testRecord({ ...parts, category: "other" });
      const all = judge(rules, one);
      // each alone, with what those before made of it
      let now = one;
      const met: number[] = [];
      for (const r of rules) {
        const alone = judge([r], now);
        if (alone.met.length === 0) continue;
        met.push(r.id);
        now = alone.record;
        if (r.rule.does !== "mark") break;
      }
      expect(all.met).toEqual(met);
      expect(all.record).toEqual(now);
    }),
    { seed: 16, numRuns: 500 },
  );
});
