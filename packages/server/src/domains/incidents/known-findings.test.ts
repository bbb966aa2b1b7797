import { type Episode, type Rule, shippedRules } from "@halvik/core/detect";
import { growthDueUs, type Known, KnownFindings, writtenNow } from "./known-findings.js";

const [RULE, OTHER] = shippedRules() as readonly Rule[] as readonly [Rule, Rule];
const finding = (id: number, over: Partial<Known> = {}): Known => ({
  id,
  incident: id,
  ruleId: RULE.id,
  lane: "",
  key: `key ${id}`,
  firstUs: id,
  lastUs: id,
  count: 1,
  clearedUs: id,
  sinceUs: 0,
  written: null,
  ...over,
});
const known = (most: number, ...all: Known[]) => {
  const findings = new KnownFindings(most);
  for (const one of all) findings.add(one);
  return { findings, has: (one: Known) => findings.find(RULE, one.key, (f) => f.id === one.id) === one };
};
const ids = (from: number, to: number) => Array.from({ length: to - from + 1 }, (_, i) => from + i);

test("found by its rule and key alone", () => {
  const { findings } = known(
    10,
    finding(1),
    finding(2, { key: "key 1" }),
    finding(3, { ruleId: OTHER.id, key: "key 1" }),
  );
  const seen: number[] = [];
  findings.find(RULE, "key 1", ({ id }) => seen.push(id) < 0);
  expect(seen).toEqual([1, 2]);
});

test("of those that are over the oldest are forgotten, down to what it is to hold", () => {
  const all = ids(1, 12).map((id) => finding(id));
  const { has } = known(10, ...all);
  expect(all.filter(has).map((f) => f.id)).toEqual(ids(3, 12));
});

test("oldest by its last record, not by when it came", () => {
  const late = finding(12, { lastUs: 0 });
  const all = [...ids(1, 11).map((id) => finding(id)), late];
  expect(known(10, ...all).has(late)).toBe(false);
});

test("what lasts is never forgotten, however old and many", () => {
  const lasting = ids(1, 30).map((id) => finding(id, { clearedUs: null }));
  const over = ids(31, 60).map((id) => finding(id));
  const { has } = known(10, ...lasting, ...over);
  expect(lasting.filter(has)).toHaveLength(30);
  // half as many again, and none looks for the oldest by itself
  expect(over.filter(has).length).toBeLessThanOrEqual(10);
});

test("what was written within half an hour stays: records of it that come late may tell of it again", () => {
  const written = { atUs: 60e6, severity: 4, entities: 1 };
  const lately = ids(1, 6).map((id) => finding(id, { written, sinceUs: 60e6 }));
  const others = ids(7, 11).map((id) => finding(id));
  const later = (sinceUs: number) => {
    const { findings, has } = known(10, ...lately, ...others, finding(12, { sinceUs }));
    return { left: [...lately, ...others].filter(has).map((f) => f.id), findings };
  };
  expect(later(20 * 60e6).left).toEqual([...ids(1, 6), ...ids(9, 11)]);
  expect(later(40 * 60e6).left).toEqual(ids(3, 11));
});

test("others of the same key stay", () => {
  const all = ids(1, 12).map((id) => finding(id, { key: "one" }));
  const { has } = known(10, ...all);
  expect(all.filter(has).map((f) => f.id)).toEqual(ids(3, 12));
});

describe("when growth is written", () => {
  const SECOND = 1_000_000;
  const episode = (over: Partial<Episode> = {}): Episode => ({
    firstUs: 0,
    lastUs: 0,
    raisedUs: 0,
    count: 9,
    first: [],
    latest: [],
    entities: ["a", "b"],
    worse: 0,
    facts: [],
    clearedUs: null,
    clearedBy: null,
    ...over,
  });
  const worsens: Rule = { ...RULE, severity: "warning", worse: [{ count: 20, severity: "critical" }] };
  const due = (ageS: number, now: Partial<Episode> = {}) => {
    const atUs = ageS * SECOND;
    const one = finding(1, { written: writtenNow(worsens, episode(), atUs) });
    return (growthDueUs(one, worsens, episode(now), atUs) - atUs) / SECOND;
  };
  test.each([
    ["young: every two seconds", 0, {}, 2],
    ["for half a minute", 40, {}, 2],
    ["for two minutes: more of the same can wait", 120, { count: 19 }, 6],
    ["for hours: it is never older than ten seconds", 7_200, { count: 19 }, 10],
    ["another thing in it is written soon, however long it lasts", 7_200, { entities: ["a", "b", "c"] }, 2],
    ["that it is worse is, too", 7_200, { count: 20 }, 2],
  ])("%s", (_what, ageS, now, seconds) => expect(due(ageS, now)).toBe(seconds));
  test("where the clock was set back: at once", () => {
    const one = finding(1, { written: writtenNow(worsens, episode(), 3_600 * SECOND) });
    expect(growthDueUs(one, worsens, episode(), 5)).toBe(5);
  });
  test("of one that stood before this engine began: at once", () =>
    expect(growthDueUs(finding(1), RULE, episode(), 5)).toBe(5));
});
