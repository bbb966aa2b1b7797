import { US_PER_SECOND } from "../base/time/index.js";
import { FORMS } from "./form/forms.js";
import { kindOf } from "./kinds/registry.js";
import { inWords } from "./kinds/words.js";
import { type Rule, ruleWindowUs } from "./rule.js";

/** A rule said in one sentence. */
export function sayRule(rule: Rule): string {
  const shelved = rule.shelve.map((w) => ` Shelved ${sayDays(w.days)} from ${w.from} to ${w.to}: ${w.why}.`).join("");
  const worse = rule.worse.map((w) => ` It becomes ${w.severity} ${sayWorse(w)}.`).join("");
  return `Raise ${rule.severity} when ${kindOf(rule).say(rule)}.${worse} It clears ${sayClear(rule)}.${shelved}`;
}

function sayWorse({ count, filter, value }: Rule["worse"][number]): string {
  const parts = [
    ...(count === undefined ? [] : [`from ${count} records on`]),
    ...(value === undefined ? [] : [`when the value is as far out as ${value}`]),
    ...(filter === undefined ? [] : [`once one matches: ${filter}`]),
  ];
  return parts.join(" and ");
}

function sayDays(days: readonly string[]): string {
  if (days.length === 0 || days.length === 7) return "every day";
  return `on ${days.map((d) => `${d[0]!.toUpperCase()}${d.slice(1)}s`).join(", ")}`;
}

/** When a rule's findings end, said in words. */
export function sayClear(rule: Rule): string {
  switch (rule.clear.by) {
    case "quiet":
      return `after ${inWords(rule.clear.seconds)} without one`;
    case "record":
      return `by a record that matches: ${rule.clear.filter}`;
    case "condition":
      return FORMS[rule.kind].endsItself ?? "by its own condition";
    case "hand":
      return `by hand only: after ${inWords(ruleWindowUs(rule) / US_PER_SECOND)} without one it has stopped and waits to be judged`;
  }
}
