import type { ArrivalPreview, ArrivalRuleJson } from "@halvik/contract/arrival";
import { ArrivalRule } from "@halvik/core/arrive";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { DebugOffer } from "./debug-offer";

freshPage();

const preview: ArrivalPreview = {
  ...{ says: "is dropped, and counted", met: 41_204, of: 1_200_000, exact: true, senders: 14 },
  ...{ bytesADay: 5_100_000, examples: [], rules: [], allRules: true },
};
const rule = (filter: string): ArrivalRuleJson => ({
  ...{ id: 1, enabled: true, says: "", broken: null, author: "moe", changed: "2026-11-28T02:00:00.000000Z" },
  ...{ day: 0, week: 0, dropped: 0, droppedBytes: 0, last: null, samples: [] },
  rule: ArrivalRule.parse({ name: "one", filter, does: "drop" }),
});
const offered = (
  rules: readonly ArrivalRuleJson[],
  said: Partial<ArrivalPreview> = {},
  onMake: (filter: string, name: string) => void = () => undefined,
) =>
  draw(<DebugOffer rules={rules} onMake={onMake} />, {
    answers: [[["arrival preview", "severity is debug"], { ...preview, ...said }]],
  });

test("what debug messages take, and the rule that drops them begun", async () => {
  const made: string[][] = [];
  offered([], {}, (...of) => made.push(of));
  expect(screen.getByTestId("debug-offer").textContent).toContain(
    "41,204 of 1,200,000 records of the last day are debug messages: to drop them would save 5.1 MB a day.",
  );
  await userEvent.setup().click(screen.getByRole("button", { name: "make it a rule" }));
  expect(made).toEqual([["severity is debug", "Debug messages"]]);
});

test.each<[string, ArrivalRuleJson[], Partial<ArrivalPreview>, boolean]>([
  ["not all were counted", [], { exact: false }, true],
  ["none came", [], { met: 0 }, false],
  ["a rule speaks of them", [rule("app is cron and severity is debug")], {}, false],
  ["a rule speaks of a word only", [rule('text has "debug"')], {}, true],
])("%s", (_, rules, said, isThere) => {
  offered(rules, said);
  expect(screen.queryByTestId("debug-offer") !== null).toBe(isThere);
  if (said.exact === false) expect(screen.getByTestId("debug-offer").textContent).toMatch(/^At least 41,204/);
});
