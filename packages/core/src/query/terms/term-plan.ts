import { formatNetwork, type Network, networkContains } from "../../base/net/index.js";
import { fold } from "../../base/text/index.js";
import type { OwnApplication } from "../../model/applications/index.js";
import { type FieldName, type FieldValue, field, TRAFFIC_KINDS } from "../../model/record/index.js";
import {
  bindsTime,
  type Comparison,
  type EvaluateContext,
  type Filter,
  isWordAt,
  requiredLiterals,
  senderIds,
  spelledOut,
  undecided,
  valueTest,
} from "../filter/index.js";
import { dataPrefix, hasDataTerms, hasTerms, isOwnDataPrefix, termPrefix } from "./part-builder.js";
import { clip, eachWord, isClipped } from "./words.js";

/** Whether a term of the vocabulary is asked for: "perhaps" where the record itself has to be looked at. */
export type Verdict = "no" | "perhaps" | "yes";

/** A filter in terms of terms. `unknown` is what terms cannot say. */
export type TermPlan =
  | { readonly is: "all" | "unknown" }
  | { readonly is: "term"; readonly term: string; readonly verdict: "perhaps" | "yes" }
  /** Every term that begins with `prefix` and that `accepts` (given what stands after `field=`) lets in. */
  | { readonly is: "terms"; readonly prefix: string; readonly accepts: (term: string) => Verdict }
  | { readonly is: "and" | "or"; readonly items: readonly TermPlan[] }
  | { readonly is: "not"; readonly item: TermPlan };

const ALL: TermPlan = { is: "all" };
const UNKNOWN: TermPlan = { is: "unknown" };
const term = (name: FieldName, value: FieldValue): TermPlan => ({
  is: "term",
  term: `${termPrefix(name)}${value}`,
  verdict: "yes",
});
const FLOWS = term("kind", "flow");

/** Plans a filter for a window that its own time comparisons (`timeBounds`) have narrowed already. */
export function planFilter(filter: Filter, context: EvaluateContext): TermPlan {
  if (filter.type === "and") return all(filter.items.map((item) => (bindsTime(item) ? ALL : plan(item, context))));
  return bindsTime(filter) ? ALL : plan(filter, context);
}

/** Both, the cheaper first: where few rows hold a term, those that most rows hold need not be unpacked. */
const all = (items: readonly TermPlan[]): TermPlan => ({
  is: "and",
  items: [...items].sort((a, b) => weight(a) - weight(b)),
});

/** Fields of which every record has one of few values. */
const DENSE = /^(severity|kind|sender|category|outcome|facility|protocol)=/;

function weight(plan: TermPlan): number {
  switch (plan.is) {
    case "term":
      return DENSE.test(plan.term) ? 2 : 0;
    case "terms":
      return DENSE.test(plan.prefix) ? 2 : 1;
    case "and":
      return Math.min(...plan.items.map(weight));
    case "or":
      return Math.max(...plan.items.map(weight));
    default:
      return 3;
  }
}

function plan(filter: Filter, context: EvaluateContext): TermPlan {
  switch (filter.type) {
    case "everything":
      return ALL;
    case "and":
      return all(filter.items.map((item) => plan(item, context)));
    case "or":
      return { is: "or", items: filter.items.map((item) => plan(item, context)) };
    case "not":
      return { is: "not", item: plan(filter.item, context) };
    case "after":
      return undecided(filter);
    case "compare": {
      const positive = planComparison(filter, context);
      return filter.negated ? { is: "not", item: positive } : positive;
    }
  }
}

function planComparison(written: Comparison, context: EvaluateContext): TermPlan {
  const node = spelledOut(written, context.directory);
  if (node.field === "text") return planText(node);
  if (node.place !== undefined || node.dataOids !== undefined) return UNKNOWN;
  const dataName = node.field === "data" ? node.dataName : field(node.field).dataName;
  if (dataName !== undefined) {
    if (!hasDataTerms(dataName)) return UNKNOWN;
    return planValues(node, dataPrefix(dataName), context, isOwnDataPrefix(dataName) ? "yes" : "perhaps");
  }
  if (node.field === "address")
    return {
      is: "or",
      items: (["src", "dst", "other address"] as const).map((f) => planValues(node, termPrefix(f), context, "yes")),
    };
  if (node.field === "port")
    return {
      is: "or",
      items: (["src port", "dst port"] as const).map((f) =>
        planValues({ ...node, field: f }, termPrefix(f), context, "yes"),
      ),
    };
  if (node.field === "application") return planApplication(node, context);
  if (node.field === "data" || !hasTerms(node.field)) return UNKNOWN;
  return planValues(node, termPrefix(node.field), context, "yes");
}

/**
 * What traffic is called is made when a record is read; from what is it made, terms know: what its exporter said, or else the first own name
 * that fits, or else the names of the lower and then the higher port.
 */
function planApplication(node: Comparison, context: EvaluateContext): TermPlan {
  const { own, ports } = context.directory.applications.where(node, valueTest(node, context));
  const prefix = termPrefix("application");
  const said: TermPlan = { is: "terms", prefix, accepts: () => "yes" };
  const tried: TermPlan[] = [];
  const made: TermPlan[] = [];
  for (const { application, passes } of own) {
    const fits = planOwn(application);
    if (passes) made.push(all([fits, noneOf([...tried])]));
    tried.push(fits);
  }
  const of = (side: "src port" | "dst port", some: readonly number[]) => portsIn(side, new Set(some));
  // those of all protocols, so that the vocabulary is gone through once: a row more is looked at, none is taken for certain
  const others = [...ports.values()].flatMap((p) => (p.passing.length === 0 ? [] : p.others));
  const [otherSrc, otherDst] = [of("src port", others), of("dst port", others)];
  const registered = [...ports].flatMap(([protocol, { passing }]): TermPlan[] => {
    if (passing.length === 0) return [];
    const [src, dst] = [of("src port", passing), of("dst port", passing)];
    const sides: TermPlan =
      others.length === 0
        ? { is: "or", items: [src, dst] }
        : {
            is: "or",
            items: [
              all([src, { is: "not", item: otherDst }]),
              all([dst, { is: "not", item: otherSrc }]),
              // both ends have names: the record itself says which is the lower
              all([{ is: "or", items: [all([src, otherDst]), all([dst, otherSrc])] }, UNKNOWN]),
            ],
          };
    return [all([term("protocol", protocol), sides])];
  });
  made.push(all([{ is: "or", items: registered }, noneOf([...tried])]));
  const traffic: TermPlan = { is: "or", items: TRAFFIC_KINDS.map((kind) => term("kind", kind)) };
  return {
    is: "or",
    items: [
      planValues(node, prefix, context, "yes"),
      all([{ is: "or", items: made }, { is: "not", item: said }, traffic]),
    ],
  };
}

const noneOf = (items: readonly TermPlan[]): TermPlan => ({ is: "not", item: { is: "or", items } });

/** Few ports are looked up, many are looked for in all that there are. */
const FEW_PORTS = 100;

const portsIn = (side: "src port" | "dst port", some: ReadonlySet<number>): TermPlan => {
  if (some.size <= FEW_PORTS) return { is: "or", items: [...some].map((port) => term(side, port)) };
  const prefix = termPrefix(side);
  return { is: "terms", prefix, accepts: (t) => (some.has(Number(t.slice(prefix.length))) ? "yes" : "no") };
};

/** Whether an own name fits, from terms alone. */
function planOwn({ protocol, lowPort, highPort, network }: OwnApplication): TermPlan {
  const either = (sides: readonly TermPlan[]): TermPlan => ({ is: "or", items: sides });
  const parts: TermPlan[] = [];
  if (protocol !== null) parts.push(term("protocol", protocol));
  if (lowPort !== null)
    parts.push(
      either(
        (["src port", "dst port"] as const).map((side) => {
          const prefix = termPrefix(side);
          const most = highPort ?? lowPort;
          const within = (t: string) =>
            Number(t.slice(prefix.length)) >= lowPort && Number(t.slice(prefix.length)) <= most;
          return { is: "terms", prefix, accepts: (t) => (within(t) ? "yes" : "no") };
        }),
      ),
    );
  if (network !== null)
    parts.push(
      either(
        (["src", "dst"] as const).map((side) => {
          const prefix = termPrefix(side);
          return {
            is: "terms",
            prefix,
            accepts: (t) => (networkContains(network, t.slice(prefix.length)) ? "yes" : "no"),
          };
        }),
      ),
    );
  return parts.length === 0 ? noneOf([ALL]) : all(parts);
}

const FEW_VALUES = 100;

/** Whole values: one term each where they are named, else every term of the field put to the comparison's own test. */
function planValues(node: Comparison, prefix: string, context: EvaluateContext, most: "perhaps" | "yes"): TermPlan {
  const { test } = node;
  const type = node.field === "data" ? "text" : field(node.field).type;
  const named = (values: readonly FieldValue[]): TermPlan => ({
    is: "or",
    items: values.map(String).map((v) => ({
      is: "term",
      term: `${prefix}${clip(v)}`,
      verdict: isClipped(v) ? "perhaps" : most,
    })),
  });
  const isNumber = type === "number" || type === "port" || type === "shape";
  const accepts = (tests: (value: FieldValue) => boolean) => (term: string) => {
    const value = term.slice(prefix.length);
    if (isClipped(value)) return "perhaps";
    return tests(isNumber ? Number(value) : value) ? most : "no";
  };
  switch (test.op) {
    case "severity":
      return named(test.values);
    case "oneOf":
      // few are looked up, many are looked for in all that there are
      if (type === "sender" || test.values.length > FEW_VALUES) break;
      return named(type === "text" ? test.values.map(fold) : test.values);
    case "ranges":
      if (isNumber && test.ranges.every(([from, to]) => from === to)) return named(test.ranges.map(([from]) => from));
      break;
    case "networks":
      // of senders it is asked which have such an address
      if (type === "sender" || test.networks.length > FEW_VALUES) break;
      return {
        is: "or",
        items: test.networks.map((network): TermPlan => {
          if (network.bits === (network.family === 4 ? 32 : 128)) return named([formatNetwork(network)]);
          const one = { ...node, test: { op: "networks", networks: [network] } } as const;
          return {
            is: "terms",
            prefix: `${prefix}${commonOctets(network)}`,
            accepts: accepts(valueTest(one, context)),
          };
        }),
      };
    case "present":
      if (type === "sender" || type === "severity") return ALL;
      return { is: "terms", prefix, accepts: () => most };
  }
  if (type === "sender") return named(senderIds(test, context.directory));
  return { is: "terms", prefix, accepts: accepts(valueTest(node, context)) };
}

/** How the text of every address of a network begins, as far as whole octets tell. */
const commonOctets = ({ family, bits, ...network }: Network): string =>
  family === 4 && bits >= 8
    ? `${formatNetwork({ family, bits, ...network })
        .split(".")
        .slice(0, Math.floor(bits / 8))
        .join(".")}.`
    : "";

const TEXT = termPrefix("text");
/** Each piece may be looked for in the whole vocabulary: the longest few tell nearly all there is to tell. */
const MOST_PIECES = 4;

function planText({ test }: Comparison): TermPlan {
  switch (test.op) {
    case "present":
      // a text without words has no terms; flows have no text
      return {
        is: "or",
        items: [{ is: "terms", prefix: TEXT, accepts: () => "yes" }, all([{ is: "not", item: FLOWS }, UNKNOWN])],
      };
    case "has": {
      const wanted = fold(test.value);
      const { mode } = test;
      if (!isWord(wanted))
        return planPieces([
          { text: wanted, wordBegins: mode === "word" || mode === "prefix", wordEnds: mode === "word" },
        ]);
      if (mode === "word")
        return { is: "term", term: `${TEXT}${clip(wanted)}`, verdict: isClipped(wanted) ? "perhaps" : "yes" };
      return planWord(wanted, mode === "prefix", "yes");
    }
    case "like": {
      const pieces = fold(test.pattern)
        .split(/[*?]+/)
        .map((text, i, { length }) => ({ text, wordBegins: i === 0, wordEnds: i === length - 1 }));
      return planPieces(pieces.sort((a, b) => b.text.length - a.text.length).slice(0, MOST_PIECES));
    }
    case "oneOf":
      return {
        is: "or",
        items: test.values.map((value) => planPieces([{ text: fold(value), wordBegins: true, wordEnds: true }])),
      };
    case "matches":
      return allOrUnknown(
        requiredLiterals(test.source, true).map((clause) => ({
          is: "or",
          items: clause.map((text) => planPieces([{ text, wordBegins: false, wordEnds: false }])),
        })),
      );
    default:
      return UNKNOWN;
  }
}

/** Text that has to be there; whether a word begins and ends just where it does. */
interface Piece {
  readonly text: string;
  readonly wordBegins: boolean;
  readonly wordEnds: boolean;
}

/** Pieces of text by their whole words, by how a last word begins, or by the part of a word that they are. */
function planPieces(pieces: readonly Piece[]): TermPlan {
  const items: TermPlan[] = [];
  for (const { text, wordBegins, wordEnds } of pieces) {
    let start = 0;
    let end = text.length;
    if (!wordBegins) while (start < end && isWordAt(text, start)) start++;
    if (!wordEnds) while (end > start && isWordAt(text, end - 1)) end--;
    const found: string[] = [];
    eachWord(text.slice(start, end), (word) => found.push(word));
    // the numbers of a dotted quad are everywhere; the quad says it all
    const numbers = new Set(found.filter((w) => w.includes(".")).flatMap((w) => w.split(".")));
    for (const word of found)
      if (!numbers.has(word)) items.push({ is: "term", term: `${TEXT}${word}`, verdict: "perhaps" });
    if (end < text.length && (end > start || wordBegins)) items.push(planWord(text.slice(end), true, "perhaps"));
    else if (text !== "" && start === text.length) items.push(planWord(text, false, "perhaps"));
  }
  return allOrUnknown(items);
}

const allOrUnknown = (items: readonly TermPlan[]): TermPlan => (items.length === 0 ? UNKNOWN : all(items));

/** Words that begin with, or hold, a part of a word. */
function planWord(wanted: string, begins: boolean, most: "perhaps" | "yes"): TermPlan {
  if (isClipped(wanted)) return UNKNOWN;
  if (begins) return { is: "terms", prefix: `${TEXT}${wanted}`, accepts: () => most };
  return {
    is: "terms",
    prefix: TEXT,
    accepts: (term) =>
      term.includes(wanted, TEXT.length) ? most : isClipped(term.slice(TEXT.length)) ? "perhaps" : "no",
  };
}

const isWord = (text: string): boolean => {
  for (let i = 0; i < text.length; i++) if (!isWordAt(text, i)) return false;
  return text !== "";
};
