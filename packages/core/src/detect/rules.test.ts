import { shippedRules, tryRule } from "./index.js";

describe("the shipped rules", () => {
  test("at least forty, over all kinds of rule, each with a reason, what to do, and tests of both sorts", () => {
    expect(shippedRules().length).toBeGreaterThanOrEqual(40);
    expect(new Set(shippedRules().map((r) => r.id)).size).toBe(shippedRules().length);
    expect([...new Set(shippedRules().map((r) => r.kind))].sort()).toEqual([
      "count",
      "departure",
      "distinct",
      "first",
      "ratio",
      "sequence",
      "silence",
    ]);
    for (const rule of shippedRules()) {
      expect([rule.id, rule.reason !== "" && rule.tags.length > 0]).toEqual([rule.id, true]);
      expect([rule.id, rule.tests.some((t) => t.raises > 0)]).toEqual([rule.id, true]);
      expect([rule.id, rule.tests.some((t) => t.raises === 0)]).toEqual([rule.id, true]);
      expect([rule.id, rule.tests.some((t) => t.raises === 0 && t.name.startsWith("ordinary: "))]).toEqual([
        rule.id,
        true,
      ]);
      for (const other of rule.explainedBy) expect(shippedRules().map((r) => r.id)).toContain(other);
    }
  });
  test.each(shippedRules().flatMap((rule) => rule.tests.map((t) => [`${rule.id}: ${t.name}`, rule, t] as const)))(
    "%s",
    (_name, rule, t) => expect(tryRule(rule, t).raised).toBe(t.raises),
  );
});
