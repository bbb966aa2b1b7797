import { SHIPPED_RULES, tryRule } from "./index.js";

describe("the shipped rules", () => {
  test("at least forty, over all kinds of rule, each with a reason, what to do, and tests of both sorts", () => {
    expect(SHIPPED_RULES.length).toBeGreaterThanOrEqual(40);
    expect(new Set(SHIPPED_RULES.map((r) => r.id)).size).toBe(SHIPPED_RULES.length);
    expect([...new Set(SHIPPED_RULES.map((r) => r.kind))].sort()).toEqual([
      "count",
      "departure",
      "distinct",
      "first",
      "ratio",
      "sequence",
      "silence",
    ]);
    for (const rule of SHIPPED_RULES) {
      expect([rule.id, rule.reason !== "" && rule.tags.length > 0]).toEqual([rule.id, true]);
      expect([rule.id, rule.tests.some((t) => t.raises > 0)]).toEqual([rule.id, true]);
      expect([rule.id, rule.tests.some((t) => t.raises === 0)]).toEqual([rule.id, true]);
      expect([rule.id, rule.tests.some((t) => t.raises === 0 && t.name.startsWith("ordinary: "))]).toEqual([
        rule.id,
        true,
      ]);
      for (const other of rule.explainedBy) expect(SHIPPED_RULES.map((r) => r.id)).toContain(other);
    }
  });
  test.each(SHIPPED_RULES.flatMap((rule) => rule.tests.map((t) => [`${rule.id}: ${t.name}`, rule, t] as const)))(
    "%s",
    (_name, rule, t) => expect(tryRule(rule, t).raised).toBe(t.raises),
  );
});
