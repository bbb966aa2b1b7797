import { newSender, SenderDirectory } from "../model/senders/index.js";
import { testRecord } from "../testing/record.js";
import { Rule, RuleConcerns } from "./index.js";

const directory = new SenderDirectory([newSender(1, "srv-1")]);
const rule = (id: string, more: object) =>
  Rule.parse({
    id,
    name: `rule ${id}`,
    severity: "warning",
    kind: "count",
    title: "refused",
    filter: "app is sshd and outcome is failure",
    key: ["user"],
    count: 5,
    windowSeconds: 600,
    clear: { by: "quiet", seconds: 600 },
    ...more,
  });
const rules = [
  rule("met", {}),
  rule("no-key", { key: ["src"] }),
  rule("one-short", { filter: "app is sshd and outcome is failure and src within 10.0.0.0/8" }),
  rule("two-short", { filter: 'app is cron and outcome is success and user is "moe"' }),
  rule("ends", { filter: "app is nothing", clear: { by: "record", filter: "app is sshd" } }),
  rule("off", { enabled: false }),
];

test("what a record is to each rule: the ones it concerns first, and what is missing for those it nearly does", () => {
  const record = testRecord({ sender: 1, app: "sshd", outcome: "failure", users: ["moe"], src: null });
  expect(new RuleConcerns(rules, directory, "UTC").of(record, 0).map((c) => [c.rule, c.verdict, c.missing])).toEqual([
    ["met", "met", ""],
    ["ends", "clears", ""],
    ["no-key", "near", "it does not say src, by which the rule tells one from another"],
    ["one-short", "near", "Source address within 10.0.0.0/8."],
    ["two-short", "not", ""],
  ]);
});
