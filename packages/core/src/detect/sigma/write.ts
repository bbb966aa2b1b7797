import { formatNetwork } from "../../base/net/index.js";
import { isSpelt } from "../../model/entity/index.js";
import { type Count, SEVERITIES, severityName } from "../../model/record/index.js";
import { type Comparison, type Filter, parseFilter } from "../../query/filter/index.js";
import { conditionsOf } from "../conditions.js";
import type { Rule } from "../rule.js";
import { SigmaRefusal } from "./refusal.js";

/** A document of Sigma, to be written as YAML. */
export type SigmaDocument = Readonly<Record<string, unknown>>;

const LEVELS = ["critical", "critical", "critical", "high", "medium", "low", "informational", "informational"] as const;
const TAXONOMY = "halvik";

/**
 * A rule as Sigma (specification 2.0.0), its fields by their names here (`taxonomy: halvik`): a detection, or a correlation with its detections before it. Or
 * why it cannot be said there without saying less or more.
 */
export function writeSigma(rule: Rule): { readonly documents: readonly SigmaDocument[] } | { readonly why: string } {
  try {
    return { documents: documentsOf(rule) };
  } catch (e) {
    if (e instanceof SigmaRefusal) return { why: e.message };
    throw e;
  }
}

function documentsOf(rule: Rule): SigmaDocument[] {
  if (rule.holdSeconds > 0) throw new SigmaRefusal("it has a hold");
  if (rule.worse.length > 0) throw new SigmaRefusal("it gets worse by what comes");
  if (rule.explainedBy.length > 0) throw new SigmaRefusal("other rules explain it");
  const head = {
    title: rule.name,
    name: rule.id,
    status: "test",
    taxonomy: TAXONOMY,
    ...(rule.reason === "" ? {} : { description: rule.reason }),
    ...(rule.owner === "" ? {} : { author: rule.owner }),
    ...(rule.references.length === 0 ? {} : { references: [...rule.references] }),
    tags: tagsOf(rule),
    level: LEVELS[SEVERITIES.indexOf(rule.severity)],
  };
  if (rule.kind === "count" && rule.count === 1) return [{ ...head, ...detectionOf(rule.filter, rule.savedFilters) }];
  const parts = conditionsOf(rule).map((c, i) => ({
    document: {
      title: `${rule.name}, ${c.name || `part ${i + 1}`}`,
      name: `${rule.id}-${i + 1}`,
      status: "test",
      taxonomy: TAXONOMY,
      level: head.level,
      ...detectionOf(c.filter, rule.savedFilters),
    },
    key: c.key,
  }));
  const correlation = {
    type: "",
    rules: parts.map((p) => p.document.name),
    "group-by": rule.key,
    timespan: "",
    ...aliasesOf(rule, parts),
  };
  const done = (more: object) => [
    ...parts.map((p) => p.document),
    { ...head, correlation: { ...correlation, ...more } },
  ];
  switch (rule.kind) {
    case "count":
      return done({ type: "event_count", timespan: `${rule.windowSeconds}s`, condition: { gte: rule.count } });
    case "distinct":
      return done({
        type: "value_count",
        timespan: `${rule.windowSeconds}s`,
        condition: { field: rule.of, gte: rule.count },
      });
    case "together":
      if (rule.atLeast !== undefined && rule.atLeast < rule.parts.length)
        throw new SigmaRefusal("not all of its parts are needed");
      return done({ type: "temporal", timespan: `${rule.windowSeconds}s` });
    case "sequence":
      if (rule.along !== undefined) throw new SigmaRefusal("its steps share a field where they have it");
      for (const s of rule.steps) {
        if (s.absent) throw new SigmaRefusal("a step of it must not come");
        if (s.count > 1 || s.withinSeconds !== undefined)
          throw new SigmaRefusal("a step of it has a count or a time of its own");
      }
      return done({ type: "temporal_ordered", timespan: `${rule.windowSeconds}s` });
    default:
      throw new SigmaRefusal(`rules of the kind ${rule.kind} have no counterpart`);
  }
}

function aliasesOf(
  rule: Rule,
  parts: readonly { readonly document: { readonly name: string }; readonly key: readonly string[] }[],
) {
  const differing = rule.key.filter((_, i) => parts.some((p) => p.key[i] !== rule.key[i]));
  if (differing.length === 0) return {};
  const of = (field: string) => {
    const i = (rule.key as readonly string[]).indexOf(field);
    return Object.fromEntries(parts.map((p) => [p.document.name, p.key[i]]));
  };
  return { aliases: Object.fromEntries(differing.map((field) => [field, of(field)])) };
}

const tagsOf = (rule: Rule): string[] => [
  ...new Set([
    ...rule.references.flatMap((r) =>
      (r.match(/\bT\d{4}(?:\.\d{3})?\b/g) ?? []).map((t) => `attack.${t.toLowerCase()}`),
    ),
    ...rule.tags.filter((t) => /^[a-z0-9-]+\.[a-z0-9.-]+$/.test(t)),
  ]),
];

function detectionOf(text: string, saved: Rule["savedFilters"]) {
  const parsed = parseFilter(text, { zone: "UTC", saved });
  if (!parsed.ok) throw new SigmaRefusal(parsed.error.message);
  return detectionOfFilter(parsed.filter);
}

/** What a rule of Sigma looks for, of a filter. @throws {SigmaRefusal} where it cannot be said */
export function detectionOfFilter(filter: Filter): { logsource: object; detection: Record<string, unknown> } {
  const detection: Record<string, unknown> = {};
  const named = (selection: object) => {
    const name = `part${Object.keys(detection).length + 1}`;
    detection[name] = selection;
    return name;
  };
  const walk = (f: Filter): string => {
    switch (f.type) {
      case "everything":
        throw new SigmaRefusal("it asks for every record");
      case "and":
      case "or":
        return `(${f.items.map(walk).join(` ${f.type} `)})`;
      case "not":
        return `not ${walk(f.item)}`;
      case "after":
        throw new SigmaRefusal("it asks what came after something");
      case "compare": {
        const name = named(selectionOf(f));
        return f.negated ? `not ${name}` : name;
      }
    }
  };
  const condition = walk(filter);
  return { logsource: { product: TAXONOMY }, detection: { ...detection, condition } };
}

/** A comparison without its negation. */
function selectionOf(node: Comparison): object {
  const { test } = node;
  if (node.field === "time" || node.field === "arrival") throw new SigmaRefusal("it names a time");
  const name = node.field === "data" ? `data ${node.dataName}` : node.field;
  if (name.includes("|")) throw new SigmaRefusal("a name with a bar in it cannot be said there");
  if (node.field === "shape") throw new SigmaRefusal("shapes are numbered here alone");
  const values = (all: readonly string[]) => (all.length === 1 ? all[0] : all);
  switch (test.op) {
    case "oneOf":
      if (node.field !== "data" && test.values.includes("")) throw new SigmaRefusal(`an empty ${name} is asked for`);
      if (test.exactly) throw new SigmaRefusal(`${name} is asked for exactly as it is written`);
      return { [name]: values(test.values.map(literal)) };
    case "severity":
      return { [name]: values(test.values.map((s) => severityName(s))) };
    case "networks":
      if (node.field === "sender") throw new SigmaRefusal("senders within a block are asked for");
      return { [`${name}|cidr`]: values(test.networks.map(formatNetwork)) };
    case "has":
      if (test.mode === "word" || test.mode === "prefix")
        throw new SigmaRefusal(`a whole word in ${name} is asked for; there it would be any part of one`);
      return { [`${name}|contains`]: literal(test.value) };
    case "like":
      // an equal value there is any spelling of it here
      if (!/[*?]/.test(test.pattern) && (node.field === "event" || isSpelt(node.field)))
        throw new SigmaRefusal(`${name} is asked for exactly as it is written`);
      if (test.pattern === "") throw new SigmaRefusal(`an empty ${name} is asked for`);
      // a backslash is itself here, and escapes there
      return { [name]: test.pattern.replaceAll("\\", "\\\\") };
    case "matches":
      return { [`${name}|re|i`]: test.source };
    case "present":
      return { [`${name}|exists`]: true };
    case "ranges": {
      const [range, ...others] = test.ranges;
      if (others.length > 0 || range === undefined) {
        if (test.ranges.every(([from, to]) => from === to)) return { [name]: test.ranges.map(([from]) => whole(from)) };
        throw new SigmaRefusal(`several ranges of ${name} are asked for`);
      }
      const [from, to] = range;
      if (from === to) return { [name]: whole(from) };
      // one bound may be met by one end of a record, and the other by the other
      if (node.field === "port" && from !== Number.NEGATIVE_INFINITY && to !== Number.POSITIVE_INFINITY)
        throw new SigmaRefusal("a range of the port of either end is asked for");
      return {
        ...(from === Number.NEGATIVE_INFINITY ? {} : { [`${name}|gte`]: whole(from) }),
        ...(to === Number.POSITIVE_INFINITY ? {} : { [`${name}|lte`]: whole(to) }),
      };
    }
    case "amount":
      // one bound may be met by one of several values of that name, and the other by another
      if (Number.isFinite(test.from) && Number.isFinite(test.to))
        throw new SigmaRefusal(`a range of ${name} is asked for`);
      return {
        ...(test.from === Number.NEGATIVE_INFINITY ? {} : { [`${name}|${test.withFrom ? "gte" : "gt"}`]: test.from }),
        ...(test.to === Number.POSITIVE_INFINITY ? {} : { [`${name}|${test.withTo ? "lte" : "lt"}`]: test.to }),
      };
    case "list":
      throw new SigmaRefusal("it names a list");
    case "domains":
    case "group":
    case "site":
    case "role":
    case "tag":
    case "last":
    case "new":
      throw new SigmaRefusal(`${name} is asked for by ${test.op}`);
  }
}

/** What would be a wildcard there, as what it is here. */
const literal = (text: string): string => text.replace(/[*?\\]/g, "\\$&");

/** A count beyond 2^53 stays whole as a text. */
const whole = (count: Count): number | string => (typeof count === "bigint" ? String(count) : count);
