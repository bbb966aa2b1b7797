import type { IncidentDetail } from "@halvik/contract/incidents";
import { usOf } from "../../data/view-store";
import { freshPage } from "../../testing/fresh-page";
import { ruleWindow } from "./rule-window";

freshPage();

const at = (s: number) => new Date(1_790_000_000_000 + s * 1_000).toISOString();
const detail = (windowSeconds: number, raised: number[], rule = "r") =>
  ({
    incident: { rule: { id: "r" } },
    rules: [{ id: "r", name: "R", windowSeconds }],
    findings: raised.map((s) => ({ rule, raised: at(s) })),
  }) as unknown as IncidentDetail;

test("from the window before the first finding of the rule that leads, to when it was met", () => {
  const found = ruleWindow(detail(600, [900, 100]))!;
  expect(found.toUs).toBe(usOf(at(100)));
  expect(found.toUs - found.fromUs).toBe(600e6);
  expect(found.says).toBe("“R” was met within 10 min");
});

test.each([
  ["a rule without a window", detail(0, [100])],
  ["no finding of the one that leads", detail(600, [100], "other")],
])("none: %s", (_what, d) => expect(ruleWindow(d)).toBeNull());
