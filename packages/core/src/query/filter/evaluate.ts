import { networksTest } from "../../base/net/index.js";
import { fold, isLike, leadingNumber } from "../../base/text/index.js";
import type { EpochUs } from "../../base/time/index.js";
import { isSpelt } from "../../model/entity/index.js";
import { type Count, type FieldType, type FieldValue, field, type HalvikRecord } from "../../model/record/index.js";
import type { SenderDirectory } from "../../model/senders/index.js";
import { valuesOf } from "../../shapes/index.js";
import type { After, Comparison, Filter, Test } from "./ast.js";
import { compilePattern } from "./pattern.js";
import { hasWord } from "./words.js";

export interface EvaluateContext {
  readonly directory: SenderDirectory;
  /** What "last 24 h" counts back from. */
  readonly nowUs: EpochUs;
}

export type RecordTest = (record: HalvikRecord) => boolean;

/** A filter as a function of a record. Names of senders, groups and sites are resolved once, here. */
export const compileFilter = (filter: Filter, context: EvaluateContext): RecordTest =>
  compileTree(filter, (comparison) => compileComparison(comparison, context));

/** A filter as a function of what it filters. @param leaf what a comparison of it decides */
export function compileTree<T, N extends string>(
  filter: Filter<N>,
  leaf: (comparison: Comparison<N>) => (one: T) => boolean,
): (one: T) => boolean {
  switch (filter.type) {
    case "everything":
      return () => true;
    case "and": {
      const parts = filter.items.map((item) => compileTree(item, leaf));
      return (one) => {
        for (let i = 0; i < parts.length; i++) if (!parts[i]!(one)) return false;
        return true;
      };
    }
    case "or": {
      const parts = filter.items.map((item) => compileTree(item, leaf));
      return (one) => {
        for (let i = 0; i < parts.length; i++) if (parts[i]!(one)) return true;
        return false;
      };
    }
    case "not": {
      const part = compileTree(filter.item, leaf);
      return (one) => !part(one);
    }
    case "compare":
      return leaf(filter);
    case "after":
      return undecided(filter);
  }
}

/** What came after something, and what is new, is put in its place before a filter gets to where records are decided (`resolveQuestions`). */
export function undecided({ span }: Pick<After, "span">): never {
  throw new Error(`the question at ${span.start} of what came before has not been answered`);
}

/**
 * A comparison with every spelling of what it names: of lists what is in them, of notifications their identifiers, of users and hosts the other ways of
 * writing them (`docs/semantics.md` 16), unless it asks for exactly one. All back ends use it, so that they cannot differ.
 */
export function spelledOut<N extends string>(written: Comparison<N>, directory: SenderDirectory): Comparison<N> {
  const { notifications, ours } = directory;
  const node = withListed(written, directory);
  const { field: name, test } = node;
  if (name === "shape" && test.op === "ranges") return { ...node, test: withMerged(test, directory) };
  if (name === "data") return withObjects(node, directory);
  if (test.op !== "oneOf" || test.exactly || !(name === "event" || isSpelt(name))) return node;
  const values =
    name === "event"
      ? test.values.flatMap((value) => [value, ...notifications.oids(value)])
      : test.values.flatMap((value) => [value, ...ours.spellings(name, value)]);
  return values.length === test.values.length ? node : { ...node, test: { op: "oneOf", values } };
}

/** A value by the name of the object that it is of: by its identifiers, and by the numbers of what it is called. */
function withObjects<N extends string>(node: Comparison<N>, { notifications }: SenderDirectory): Comparison<N> {
  const named = node.place === undefined ? notifications.object(node.dataName ?? "") : undefined;
  if (named === undefined) return node;
  const { test } = node;
  if (test.op !== "oneOf") return { ...node, dataOids: named.oids };
  const values = test.values.flatMap((value) => [value, ...(named.numbers.get(value.toLowerCase()) ?? [])]);
  return { ...node, dataOids: named.oids, test: { ...test, values } };
}

/** Shapes with those that have become part of them. */
const withMerged = ({ ranges }: Extract<Test, { op: "ranges" }>, directory: SenderDirectory): Test => ({
  op: "ranges",
  ranges: ranges.flatMap(([from, to]) =>
    from === to ? directory.shapesOf(Number(from)).map((id) => [id, id] as const) : [[from, to] as const],
  ),
});

const ADDRESSES: readonly string[] = ["src", "dst", "address"];

/** What is in lists in the place of their names: of addresses the blocks, of domains themselves and all below, of anything else the values. */
function withListed<N extends string>(node: Comparison<N>, { lists }: SenderDirectory): Comparison<N> {
  if (node.test.op !== "list") return node;
  const { names } = node.test;
  if (ADDRESSES.includes(node.field))
    return { ...node, test: { op: "networks", networks: names.flatMap((n) => lists.networksOf(n)) } };
  const found = names.flatMap((n) => lists.find(n) ?? []);
  const domains = found.flatMap((l) => (l.kind === "domain" ? l.values : []));
  const values = found.flatMap((l) => l.values);
  return { ...node, test: domains.length > 0 ? { op: "domains", domains: values } : { op: "oneOf", values } };
}

/** A comparison as a function of a record. */
export function compileComparison(written: Comparison, context: EvaluateContext): RecordTest {
  const node = spelledOut(written, context.directory);
  const test = valueTest(node, context);
  const negated = node.negated;
  if (node.place !== undefined) {
    const { place, ofShape } = node;
    if (ofShape === undefined) return undecided(node);
    return (record) => {
      const value = valuesOf(ofShape, record).get(place);
      return (value !== undefined && test(value)) !== negated;
    };
  }
  if (node.field === "data") {
    const wanted = node.dataName ?? "";
    const suffix = ` ${wanted}`;
    const oids = node.dataOids ?? [];
    const isOf = (name: string) => oids.some((oid) => name === oid || name.startsWith(`${oid}.`));
    return (record) =>
      record.data.some(([name, value]) => (name === wanted || name.endsWith(suffix) || isOf(name)) && test(value)) !==
      negated;
  }
  const { get, only } = field(node.field);
  const { applications } = context.directory;
  if (only !== undefined)
    return (record) => {
      const value = only(record, applications);
      return (value !== null && test(value)) !== negated;
    };
  return (record) => {
    const values = get(record, applications);
    for (let i = 0; i < values.length; i++) if (test(values[i]!)) return !negated;
    return negated;
  };
}

/** Ids of the senders a sender test names; both back ends use it, so they cannot differ. */
export function senderIds(test: Test, directory: SenderDirectory): readonly number[] {
  switch (test.op) {
    case "oneOf": {
      return [...new Set(test.values.flatMap((value) => directory.idsOf(value)))];
    }
    case "networks":
      return directory.idsByAddress(networksTest(test.networks));
    case "like": {
      const pattern = fold(test.pattern);
      return directory.idsByName((name) => isLike(fold(name), pattern));
    }
    case "group":
    case "site":
    case "role":
    case "tag":
      return directory.idsWith(test.op, test.names);
    default:
      throw new Error(`sender test ${test.op}: the parser lets none through`);
  }
}

/** A comparison of records as a test of one value of its field, before any negation. */
export const valueTest = (node: Comparison, context: EvaluateContext): ((value: FieldValue) => boolean) =>
  valueTestOf(node, node.field === "data" ? "text" : field(node.field).type, context);

/** The same of a field of that type, whatever it is a field of. */
export function valueTestOf<N extends string>(
  node: Comparison<N>,
  type: FieldType,
  context: EvaluateContext,
): (value: FieldValue) => boolean {
  const { test } = node;
  if (type === "sender") {
    const ids = new Set(senderIds(test, context.directory));
    return (value) => ids.has(value as number);
  }
  // choices are stored in the one spelling they have
  const same = type === "exact" || type === "choice" ? (s: string) => s : fold;
  switch (test.op) {
    case "oneOf": {
      const wanted = new Set(test.values.map(same));
      return (value) => wanted.has(same(String(value)));
    }
    case "severity": {
      const wanted = new Set<FieldValue>(test.values);
      return (value) => wanted.has(value);
    }
    case "ranges":
      if (test.ranges.length === 1) {
        const [from, to] = test.ranges[0]!;
        return (value) => (value as Count) >= from && (value as Count) <= to;
      }
      return (value) => test.ranges.some(([from, to]) => (value as Count) >= from && (value as Count) <= to);
    case "amount": {
      const { from, to, withFrom, withTo } = test;
      return (value) => {
        const n = leadingNumber(String(value));
        return n !== null && (withFrom ? n >= from : n > from) && (withTo ? n <= to : n < to);
      };
    }
    case "networks":
      return networksTest(test.networks) as (value: FieldValue) => boolean;
    case "has": {
      const wanted = same(test.value);
      switch (test.mode) {
        case "word":
          return (value) => hasWord(same(String(value)), wanted, "both");
        case "prefix":
          return (value) => hasWord(same(String(value)), wanted, "start");
        case "part":
        case "phrase":
          return (value) => same(String(value)).includes(wanted);
      }
      break;
    }
    case "like": {
      const pattern = same(test.pattern);
      return (value) => isLike(same(String(value)), pattern);
    }
    case "matches": {
      const compiled = compilePattern(test.source, type !== "exact");
      if (!compiled.ok) throw new Error(`pattern /${test.source}/: ${compiled.reason}`);
      return (value) => compiled.test(String(value));
    }
    case "present":
      return () => true;
    case "last": {
      const from = context.nowUs - test.us;
      return (value) => (value as number) >= from;
    }
    case "domains": {
      const wanted = new Set(test.domains.map(fold));
      return (value) => {
        const name = fold(String(value));
        for (let at = 0; at >= 0; at = name.indexOf(".", at) + 1 || -1) if (wanted.has(name.slice(at))) return true;
        return false;
      };
    }
    case "new":
      return undecided(node);
    case "list":
    case "group":
    case "site":
    case "role":
    case "tag":
      break;
  }
  throw new Error(`${node.field} ${test.op}: the parser lets none through`);
}

/** The [from, to) that a filter asks for by its own time comparisons, where they bind the whole filter. */
export function timeBounds(filter: Filter, nowUs: EpochUs): { fromUs: EpochUs; toUs: EpochUs } {
  let fromUs = Number.NEGATIVE_INFINITY;
  let toUs = Number.POSITIVE_INFINITY;
  const parts = filter.type === "and" ? filter.items : [filter];
  for (const part of parts) {
    if (part.type === "and") {
      const inner = timeBounds(part, nowUs);
      fromUs = Math.max(fromUs, inner.fromUs);
      toUs = Math.min(toUs, inner.toUs);
    }
    if (!isTimeBound(part)) continue;
    if (part.test.op === "last") fromUs = Math.max(fromUs, nowUs - part.test.us);
    else if (part.test.op === "ranges") {
      fromUs = Math.max(fromUs, Math.min(...part.test.ranges.map(([from]) => Number(from))));
      toUs = Math.min(toUs, Math.max(...part.test.ranges.map(([, to]) => Number(to))) + 1);
    }
  }
  return { fromUs, toUs };
}

const isTimeBound = (part: Filter): part is Comparison =>
  part.type === "compare" && part.field === "time" && !part.negated;

/** Whether a part of a filter says no more than `timeBounds` takes from it: within those bounds it holds. */
export const bindsTime = (part: Filter): boolean =>
  isTimeBound(part) && (part.test.op === "last" || (part.test.op === "ranges" && part.test.ranges.length === 1));

/** Whether a filter has patterns: whatever decides it may take long over a single text. */
export function hasPatterns(filter: Filter): boolean {
  switch (filter.type) {
    case "everything":
      return false;
    case "and":
    case "or":
      return filter.items.some(hasPatterns);
    case "not":
      return hasPatterns(filter.item);
    case "after":
      return hasPatterns(filter.item);
    case "compare":
      return filter.test.op === "matches" || filter.test.op === "like";
  }
}

/** Whether a filter names time at all; rules refuse that (`docs/semantics.md` 19). */
export const namesTime = (filter: Filter): boolean => namesField(filter, "time") || namesField(filter, "arrival");

/** Whether a filter names a field anywhere. */
export function namesField(filter: Filter, name: Comparison["field"]): boolean {
  switch (filter.type) {
    case "everything":
      return false;
    case "and":
    case "or":
      return filter.items.some((item) => namesField(item, name));
    case "not":
      return namesField(filter.item, name);
    case "after":
      return namesField(filter.item, name);
    case "compare":
      return filter.field === name;
  }
}
