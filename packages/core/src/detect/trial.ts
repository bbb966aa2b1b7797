import { US_PER_DAY } from "../base/time/index.js";
import { NamedLists, readListValue } from "../model/lists/index.js";
import { newSender, SenderDirectory } from "../model/senders/index.js";
import { LATENESS_US, RuleEngine } from "./engine.js";
import type { Episode } from "./event.js";
import type { Rule } from "./rule.js";
import { recordsOf } from "./sample-records.js";
import type { RuleTest } from "./schema/samples.js";

/** A Monday; trials stand still in time. */
const BEGIN_US = 20_600 * US_PER_DAY;
const ENDS_AFTER_US = 2 * US_PER_DAY;

/** What a trial came to. */
export interface TrialResult {
  readonly raised: number;
  readonly passes: boolean;
  readonly episodes: readonly Episode[];
}

/** Runs a rule over the records of one of its tests, as they would be decoded. */
export function tryRule(rule: Rule, test: RuleTest): TrialResult {
  const names = [...new Set(test.records.map((r) => r.sender))];
  const senders = names.map((name, i) => newSender(i + 1, name));
  const directory = new SenderDirectory(senders, undefined, undefined, undefined, listsOf(test));
  const records = recordsOf(test.records, BEGIN_US, (name) => names.indexOf(name) + 1);
  const engine = new RuleEngine([{ ...rule, enabled: true }], directory, { zone: "UTC" });
  const episodes: Episode[] = [];
  const ended = (step: ReturnType<RuleEngine["step"]>) =>
    episodes.push(...step.episodes.filter((e) => e.final).map((e) => e.episode));
  for (const record of records) ended(engine.step("trial", [record], record.timeUs - LATENESS_US));
  const last = engine.step("trial", [], (records[records.length - 1]?.timeUs ?? BEGIN_US) + ENDS_AFTER_US);
  ended(last);
  episodes.push(...engine.standing("trial").map((e) => e.episode));
  return { raised: episodes.length, passes: episodes.length === test.raises, episodes };
}

/** Lists as a test has them: of addresses where all it has are. */
const listsOf = ({ lists }: RuleTest): NamedLists =>
  new NamedLists(
    Object.entries(lists).map(([name, values]) => ({
      name,
      kind: values.every((v) => "value" in readListValue("address", v)) ? "address" : "text",
      values,
    })),
  );

/** What a rule's tests say against it, a sentence each; none: they pass. */
export const testFailures = (rule: Rule): string[] =>
  rule.tests.flatMap((test) => {
    const { raised, passes } = tryRule(rule, test);
    return passes ? [] : [sayTestFailure({ name: test.name, raises: test.raises, raised })];
  });

export const sayTestFailure = (t: {
  readonly name: string;
  readonly raises: number;
  readonly raised: number;
}): string => `test “${t.name}” expects ${t.raises} findings and has ${t.raised}`;
