import { SenderDirectory } from "../model/senders/index.js";
import { testRecord } from "../testing/record.js";
import { logicOf, Rule, RuleEngine, type RuleInput, type SavedState, sayRule, severityOf } from "./index.js";

/** When a finding is more severe than its rule usually is. Severities by RFC 5424 table 2: 2 critical, 3 error, 4 warning. */
const directory = new SenderDirectory([]);
const S = 1e6;
const counted = (worse: readonly object[]) =>
  Rule.parse({
    kind: "count",
    id: "r",
    name: "R",
    filter: "category is logon",
    key: ["src"],
    count: 2,
    windowSeconds: 60,
    severity: "warning",
    worse,
    title: "{src}",
    clear: { by: "quiet", seconds: 60 },
  });
const measured = (side: "over" | "under", worse: readonly object[]) => ({
  kind: "departure",
  id: "r",
  name: "R",
  filter: "app is a",
  key: ["host"],
  measure: { of: "value", field: "bytes" },
  judgement: { by: "line", side, raiseAt: 50, clearAt: 50 },
  everySeconds: 60,
  severity: "warning",
  worse,
  title: "{host}",
  clear: { by: "condition" },
});
const logon = (s: number, user: string) =>
  testRecord({ id: String(s), timeUs: s * S, category: "logon", src: "10.0.0.1", users: [user] });
const reading = (s: number, bytes: number) => testRecord({ id: String(s), timeUs: s * S, app: "a", host: "h", bytes });
const engineOf = (rule: Rule, states: readonly SavedState[] = []) =>
  new RuleEngine([rule], directory, { zone: "UTC" }, { states, earlier: [], since: new Map() });
const ADMIN = { severity: "critical", filter: "user is admin" };

describe("a finding is worse", () => {
  test.each<[string, readonly object[], readonly string[], number]>([
    ["of itself, not", [], ["a", "b"], 4],
    ["from a number of records on", [{ severity: "error", count: 3 }], ["a", "b", "c"], 3],
    ["below it, not", [{ severity: "error", count: 3 }], ["a", "b"], 4],
    ["once a record matches", [ADMIN], ["a", "admin"], 2],
    ["where none matches, not", [ADMIN], ["a", "b", "c"], 4],
    ["by the worst that holds", [{ severity: "error", count: 2 }, ADMIN], ["admin", "b"], 2],
    ["all that one entry says must hold", [{ ...ADMIN, count: 4 }], ["admin", "b", "c"], 4],
    ["and then it does", [{ ...ADMIN, count: 4 }], ["admin", "b", "c", "d"], 2],
    ["a milder one changes nothing", [{ severity: "notice", count: 2 }], ["a", "b"], 4],
  ])("%s", (_what, worse, users, severity) => {
    const rule = counted(worse);
    const { episodes } = engineOf(rule).step(
      "live",
      users.map((u, i) => logon(i, u)),
      0,
    );
    expect(severityOf(rule, episodes[episodes.length - 1]!.episode)).toBe(severity);
  });

  test.each<["over" | "under", readonly number[], number]>([
    ["over", [60], 4],
    ["over", [60, 90], 3],
    ["under", [40], 4],
    ["under", [40, 5], 3],
  ])("as far %s its line as is said", (side, values, severity) => {
    const rule = Rule.parse(measured(side, [{ severity: "error", value: side === "over" ? 80 : 10 }]));
    const { episodes } = engineOf(rule).step(
      "live",
      values.map((v, i) => reading(i, v)),
      0,
    );
    expect(severityOf(rule, episodes[episodes.length - 1]!.episode)).toBe(severity);
  });

  test("what made it so was seen before a restart: it stays so", () => {
    const rule = counted([ADMIN]);
    const { states } = engineOf(rule).step("live", [logon(1, "admin"), logon(2, "b")], 10 * S);
    const kept = JSON.parse(JSON.stringify(states)) as SavedState[];
    const { episodes } = engineOf(rule, kept).step("live", [logon(12, "c")], 10 * S);
    expect(severityOf(rule, episodes[0]!.episode)).toBe(2);
  });

  test("while it waits for its second record, the first's mark is kept too", () => {
    const rule = counted([ADMIN]);
    const { states } = engineOf(rule).step("live", [logon(1, "admin")], 10 * S);
    const kept = JSON.parse(JSON.stringify(states)) as SavedState[];
    const { episodes } = engineOf(rule, kept).step("live", [logon(12, "c")], 10 * S);
    expect(severityOf(rule, episodes[0]!.episode)).toBe(2);
  });
});

test("another number keeps what the rule remembers; another filter begins anew", () => {
  const at = (count: number) => logicOf(counted([{ severity: "error", count }]));
  expect(at(3)).toBe(at(4));
  expect(at(3)).toBe(logicOf(counted([])));
  expect(logicOf(counted([ADMIN]))).not.toBe(logicOf(counted([{ ...ADMIN, filter: "user is root" }])));
});

test.each<[string, object, string]>([
  ["nothing that says when", counted([]), "when is it worse? Give count, filter or value"],
  ["a filter of a measure", measured("over", []), "what counts here is a measure, not one record: give count or value"],
])("%s is refused with what to do", (_what, rule, message) => {
  const worse = message.startsWith("when") ? [{ severity: "error" }] : [ADMIN];
  const result = Rule.safeParse({ ...rule, worse } as RuleInput);
  expect(result.error?.issues.map((i) => [i.path[0], i.message])).toEqual([["worse", message]]);
});
test("a value where nothing is measured is refused", () => {
  const result = Rule.safeParse({ ...counted([]), worse: [{ severity: "error", value: 3 }] });
  expect(result.error?.issues.map((i) => i.message)).toEqual(["only departure and ratio measure a value"]);
});

test("it is said in the sentence", () =>
  expect(
    sayRule(
      counted([
        { ...ADMIN, count: 5 },
        { severity: "error", count: 3 },
      ]),
    ),
  ).toContain(
    "It becomes critical from 5 records on and once one matches: user is admin. It becomes error from 3 records on.",
  ));
