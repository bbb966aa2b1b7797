import { formatDuration, US_PER_SECOND } from "../base/time/index.js";
import type { Rule } from "./rule.js";

/** A rule said in one sentence. */
export function sayRule(rule: Rule): string {
  const shelved = rule.shelve.map((w) => ` Shelved ${sayDays(w.days)} from ${w.from} to ${w.to}: ${w.why}.`).join("");
  const worse = rule.worse.map((w) => ` It becomes ${w.severity} ${sayWorse(w)}.`).join("");
  return `Raise ${rule.severity} when ${sayCondition(rule)}.${worse} It clears ${sayClear(rule)}.${shelved}`;
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

function sayCondition(rule: Rule): string {
  const same = rule.key.length === 0 ? "" : ` with the same ${rule.key.join(" and ")}`;
  const each = rule.key.length === 0 ? "" : ` of each ${rule.key.join(" and ")}`;
  switch (rule.kind) {
    case "count":
      return rule.count === 1
        ? `one record matches: ${rule.filter}`
        : `${rule.count} records within ${inWords(rule.windowSeconds)}${same} match: ${rule.filter}`;
    case "distinct":
      return `within ${inWords(rule.windowSeconds)} records${same} name ${rule.count} different values of ${rule.of}, and match: ${rule.filter}`;
    case "sequence":
      return `within ${inWords(rule.windowSeconds)}${same}, in this order: ${rule.steps.map(sayStep).join("; ")}`;
    case "together":
      return `within ${inWords(rule.windowSeconds)}${same}, in any order, ${rule.atLeast === undefined ? "all" : `${rule.atLeast}`} of these come: ${rule.parts.map(named).join("; ")}`;
    case "silence":
      return `nothing comes${same} for ${inWords(rule.afterSeconds)} after a record that matched: ${rule.filter}`;
    case "first":
      return `a ${rule.key.join(" and ")} comes that was not seen for ${rule.unseenDays} d (after ${rule.learningDays} d of learning), and matches: ${rule.filter}`;
    case "departure":
      return `${sayMeasure(rule)}${each} ${sayJudgement(rule.judgement)}, of what matches: ${rule.filter}`;
    case "ratio":
      return `of at least ${rule.least} records${each} within ${inWords(rule.everySeconds)} that match ${rule.of}, ${rule.side === "over" ? "more" : "less"} than ${percent(rule.raiseAt)} match: ${rule.filter}`;
  }
}

function sayStep(step: (Rule & { kind: "sequence" })["steps"][number], i: number): string {
  const within = step.withinSeconds === undefined ? "" : ` within ${inWords(step.withinSeconds)}`;
  if (step.absent) return `${i + 1}. nothing${within || " before the next"} that matches ${named(step)}`;
  return `${i + 1}. ${step.count === 1 ? "" : `${step.count} × `}${named(step)}${i === 0 && step.count === 1 ? "" : within}`;
}

const named = (part: { name: string; filter: string }): string =>
  part.name === "" ? part.filter : `${part.name} (${part.filter})`;

function sayMeasure(rule: Rule & { kind: "departure" }): string {
  const { measure } = rule;
  if (measure.of === "value") return `the ${measure.field ?? measure.data}`;
  if (measure.of === "spacing")
    return `the unevenness of the gaps between at least ${measure.least} records in ${inWords(rule.everySeconds)}`;
  const what = measure.of === "records" ? "the number of records" : `the sum of ${measure.field}`;
  return `${what} in ${inWords(rule.everySeconds)}`;
}

function sayJudgement(j: (Rule & { kind: "departure" })["judgement"]): string {
  switch (j.by) {
    case "line":
      return `is ${j.side} ${j.raiseAt} (until ${j.side === "over" ? "under" : "over"} ${j.clearAt})`;
    case "baseline":
      return `departs from its usual at this hour of the week (modified z-score ${j.side === "both" ? "beyond" : j.side} ${j.z}${j.least > 0 ? `, and by ${j.least} at least` : ""})`;
    case "ewma":
      return `drifts: its smoothed mean (λ ${j.lambda}) leaves ${j.k} deviations of the first ${j.training}`;
    case "cusum":
      return `drifts: its summed deviations exceed ${j.limit} deviations of the first ${j.training}`;
  }
}

/** When a rule's findings end, said in words. */
export function sayClear(rule: Rule): string {
  switch (rule.clear.by) {
    case "quiet":
      return `after ${inWords(rule.clear.seconds)} without one`;
    case "record":
      return `by a record that matches: ${rule.clear.filter}`;
    case "condition":
      return rule.kind === "silence" ? "when it is heard again" : "when the value is ordinary again";
    case "hand":
      return "by hand only";
  }
}

const inWords = (seconds: number): string => formatDuration(seconds * US_PER_SECOND);
const percent = (share: number): string => `${Math.round(share * 1000) / 10} %`;
