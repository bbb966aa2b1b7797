import { formatNetwork } from "../../base/net/index.js";
import { formatDuration, formatUs } from "../../base/time/index.js";
import { type Count, severityName } from "../../model/record/index.js";
import type { Comparison, Filter, Test } from "./ast.js";

/** A filter said in words, so that a person sees how it was understood. `showTime` writes instants in their zone. @param one what it filters */
export function readFilter<N extends string>(
  filter: Filter<N>,
  showTime: (us: number) => string = formatUs,
  one = "record",
): string {
  const said = filter.type === "everything" ? `every ${one}` : say(filter, showTime, false);
  return `${said.charAt(0).toUpperCase()}${said.slice(1)}.`;
}

function say(filter: Filter<string>, showTime: (us: number) => string, nested: boolean): string {
  switch (filter.type) {
    case "everything":
      return "every record";
    case "and": {
      const said = filter.items.map((item) => say(item, showTime, true)).join(", and ");
      return nested ? `(${said})` : said;
    }
    case "or": {
      const said = filter.items.map((item) => say(item, showTime, true)).join(", or ");
      return nested ? `(either ${said})` : `either ${said}`;
    }
    case "not":
      return filter.item.type === "compare" || filter.item.type === "after"
        ? `not ${say(filter.item, showTime, true)}`
        : `none of ${say(filter.item, showTime, true)}`;
    case "after":
      return `within ${formatDuration(filter.withinUs)} after ${say(filter.item, showTime, true)}, with the same ${NOUNS[filter.field]?.replace(/^any /, "") ?? filter.field}`;
    case "compare":
      return sayComparison(filter, showTime);
  }
}

const NOUNS: Readonly<Record<string, string>> = {
  src: "source address",
  dst: "destination address",
  address: "any address",
  "src port": "source port",
  "dst port": "destination port",
  port: "the port of either end",
  text: "the text",
};

function sayComparison(node: Comparison<string>, showTime: (us: number) => string): string {
  const { test, negated } = node;
  const noun =
    node.place !== undefined
      ? `what stands in $${node.place}`
      : node.field === "data"
        ? `the value “${node.dataName}”`
        : (NOUNS[node.field] ?? node.field);
  const not = negated ? "not " : "";
  const orMissing =
    negated && canMiss(node) ? ` (or no ${node.field === "data" ? "such value" : noun.replace(/^any /, "")})` : "";
  switch (test.op) {
    case "present":
      return negated ? `without ${article(noun)}` : `with ${article(noun)}`;
    case "severity":
      return `${not}${saySeverity(test)}`;
    case "oneOf":
      if (node.field === "sender") return `${not}from ${orList(test.values)}`;
      return `${noun} ${negated ? "is not" : test.exactly ? "is exactly" : "is"} ${orList(test.values)}${orMissing}`;
    case "group":
    case "site":
    case "role":
    case "tag":
      return `${not}from the ${test.op} ${orList(test.names)}`;
    case "list":
      return `${noun} ${not}in the ${test.names.length === 1 ? "list" : "lists"} ${orList(test.names)}${orMissing}`;
    case "domains":
      return `${noun} ${not}in the ${test.domains.length === 1 ? "domain" : "domains"} ${orList(test.domains)}${orMissing}`;
    case "networks":
      if (node.field === "sender") return `${not}from an address within ${orList(test.networks.map(formatNetwork))}`;
      return `${noun} ${not}${test.networks.every((n) => n.bits === (n.family === 4 ? 32 : 128)) ? "is" : "within"} ${orList(test.networks.map(formatNetwork))}${orMissing}`;
    case "ranges":
      return node.field === "time" || node.field === "arrival"
        ? `${not}${node.field === "arrival" ? "arrived " : ""}${sayTimes(test, showTime)}`
        : `${noun} ${not}${test.ranges.map(sayRange).join(" or ")}${orMissing}`;
    case "amount":
      return `${noun} ${not}${sayAmount(test)}${orMissing}`;
    case "new":
      return `a shape that was never seen before this time`;
    case "last":
      return `${not}in the last ${formatDuration(test.us)}`;
    case "has":
      return `${sayHas(noun, test)}`;
    case "like":
      return `${noun} ${not}like “${test.pattern}”`;
    case "matches":
      return `${noun} ${not}matching /${test.source}/`;
  }
}

const canMiss = (node: Comparison<string>): boolean =>
  !["text", "severity", "kind", "category", "outcome", "sender", "time", "arrival"].includes(node.field);

function sayHas(noun: string, test: Extract<Test, { op: "has" }>): string {
  switch (test.mode) {
    case "word":
      return `the word “${test.value}” in ${noun}`;
    case "prefix":
      return `a word starting with “${test.value}” in ${noun}`;
    case "part":
    case "phrase":
      return `“${test.value}” anywhere in ${noun}`;
  }
}

function saySeverity(test: Extract<Test, { op: "severity" }>): string {
  const sorted = [...test.values].sort();
  const consecutive = sorted.every((v, i) => i === 0 || v === sorted[i - 1]! + 1);
  if (sorted.length > 1 && consecutive && sorted[0] === 0)
    return `${severityName(sorted[sorted.length - 1]!)} or worse`;
  if (sorted.length > 1 && consecutive && sorted[sorted.length - 1] === 7)
    return `${severityName(sorted[0]!)} or milder`;
  return `severity ${orList(sorted.map((v) => severityName(v)))}`;
}

function sayTimes(test: Extract<Test, { op: "ranges" }>, showTime: (us: number) => string): string {
  return test.ranges
    .map(([from, to]) => {
      if (from === Number.NEGATIVE_INFINITY) return `before ${showTime(Number(to) + 1)}`;
      if (to === Number.POSITIVE_INFINITY) return `from ${showTime(Number(from))} on`;
      return `from ${showTime(Number(from))} to ${showTime(Number(to) + 1)}`;
    })
    .join(" or ");
}

function sayRange([from, to]: readonly [Count, Count]): string {
  if (from > to) return "is a number between two whole ones";
  if (from === to) return `is ${from}`;
  if (from === Number.NEGATIVE_INFINITY) return `at most ${to}`;
  if (to === Number.POSITIVE_INFINITY) return `at least ${from}`;
  return `from ${from} to ${to}`;
}

function sayAmount({ from, to, withFrom, withTo }: Extract<Test, { op: "amount" }>): string {
  if (to === Number.POSITIVE_INFINITY) return `${withFrom ? "at least" : "over"} ${from}`;
  if (from === Number.NEGATIVE_INFINITY) return `${withTo ? "at most" : "under"} ${to}`;
  return `from ${from} to ${to}`;
}

const article = (noun: string): string =>
  /^(the|any) /.test(noun) ? noun : /^[aeiou]/.test(noun) ? `an ${noun}` : `a ${noun}`;

function orList(values: readonly string[]): string {
  if (values.length === 1) return values[0]!;
  return `${values.slice(0, -1).join(", ")} or ${values[values.length - 1]}`;
}
