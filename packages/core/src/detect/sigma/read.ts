import * as z from "zod";
import { fold } from "../../base/text/index.js";
import { type FieldName, fieldNamed, type SEVERITIES } from "../../model/record/index.js";
import { Rule, type RuleInput } from "../rule.js";
import { type Condition, readCondition } from "./condition.js";
import {
  type EventNames,
  type FilterName,
  fieldOf,
  type Logsource,
  type Source,
  sourceKey,
  sourceOf,
} from "./fields.js";
import { SigmaRefusal } from "./refusal.js";
import { comparison } from "./values.js";

/** What became of one rule of a file. */
export type SigmaOutcome =
  | {
      readonly name: string;
      readonly rule: Rule;
      /** The log source it is of, as it is said there, and the filter that it became; of a correlation none. */
      readonly source: { readonly key: string; readonly filter: string } | null;
      /** What is not the same as there, though nothing of what it finds is lost. */
      readonly notes: readonly string[];
    }
  | {
      readonly name: string;
      readonly rule: null;
      readonly why: string;
      readonly at: string;
      /** The log source that nobody has said the filter of. */
      readonly unknownSource: string | null;
    };

const text = (most: number) => z.union([z.string(), z.number()]).transform((t) => String(t).slice(0, most));
const Head = z.looseObject({
  title: text(256),
  id: z.string().optional(),
  name: z.string().optional(),
  description: text(2_000).default(""),
  references: z.array(z.string()).default([]),
  author: text(120).default(""),
  tags: z.array(z.string()).default([]),
  falsepositives: z.union([z.string(), z.array(z.string())]).default([]),
  level: z.enum(["informational", "low", "medium", "high", "critical"]).default("medium"),
  taxonomy: z.string().default("sigma"),
});
type Head = z.infer<typeof Head>;

const Detection = Head.extend({
  logsource: z.looseObject({
    product: z.string().nullable().default(null),
    category: z.string().nullable().default(null),
    service: z.string().nullable().default(null),
  }),
  detection: z.looseObject({ condition: z.union([z.string(), z.array(z.string())]) }),
});
type Detection = z.infer<typeof Detection>;

const Bound = z.record(z.string(), z.unknown());
const Correlation = Head.extend({
  correlation: z.looseObject({
    type: z.string(),
    rules: z.array(z.string()).min(1),
    "group-by": z.array(z.string()).default([]),
    timespan: z.string(),
    condition: Bound.optional(),
    aliases: z.record(z.string(), z.record(z.string(), z.string())).default({}),
    generate: z.boolean().default(false),
  }),
});
type Correlation = z.infer<typeof Correlation>;

const LEVELS: Readonly<Record<Head["level"], (typeof SEVERITIES)[number]>> = {
  informational: "informational",
  low: "notice",
  medium: "warning",
  high: "error",
  critical: "critical",
};
/** Once raised for a device, the same is more of the same for an hour. */
const SAME_SECONDS = 3_600;
const SPANS: Readonly<Record<string, number>> = { s: 1, m: 60, h: 3_600, d: 86_400 };
const OURS = "halvik";

/** A rule that was read, with the filter it is of. */
interface Read {
  readonly head: Head;
  readonly filter: string;
  readonly source: { readonly key: string; readonly filter: string };
  readonly ours: boolean;
}

/** By which names a rule calls what records hold. */
interface Naming {
  readonly ours: boolean;
  /** The event that its log source is here. */
  readonly event: EventNames | null;
  /** The log source, as `sourceKey` writes it. */
  readonly source: string;
}

const EVERYTHING: Source = { filter: "", event: null };

/**
 * Rules of Sigma (specification 2.0.0: rules and correlations) as rules here, each by itself: what cannot be said faithfully refuses its rule with the reason
 * and the place; nothing is left out of one that is taken.
 * @param documents of a file, as YAML has them @param sources filters of log sources, by `sourceKey`, that a person has said
 */
export function readSigma(documents: readonly unknown[], sources: ReadonlyMap<string, string>): SigmaOutcome[] {
  const reads = new Map<unknown, Read | Refused>();
  const byName = new Map<string, Read | Refused>();
  for (const document of documents) {
    if (isCorrelation(document)) continue;
    const read = tryRead(document, () => readDetection(document, sources));
    reads.set(document, read);
    const names = Head.safeParse(document);
    if (names.success) for (const n of [names.data.id, names.data.name]) if (n !== undefined) byName.set(n, read);
  }
  // rules that serve a correlation raise by themselves only where it says so
  const serving = new Set(
    documents.filter(isCorrelation).flatMap((d) => {
      const read = Correlation.safeParse(d);
      return read.success && !read.data.correlation.generate ? read.data.correlation.rules : [];
    }),
  );
  return documents.flatMap((document): SigmaOutcome[] => {
    const name = nameOf(document);
    if (isCorrelation(document)) {
      const made = tryRead(document, () => {
        const read = parsed(Correlation, document);
        const notes: string[] = [];
        return { rule: checked(correlated(read, byName, notes)), notes };
      });
      return ["why" in made ? refusal(name, made) : { name, rule: made.rule, source: null, notes: made.notes }];
    }
    const read = reads.get(document)!;
    if ("why" in read) return [refusal(name, read)];
    if ([read.head.id, read.head.name].some((n) => n !== undefined && serving.has(n))) return [];
    const made = tryRead(document, () => checked(single(read)));
    if ("why" in made) return [refusal(name, made)];
    return [{ name, rule: made, source: read.source, notes: notesOf(read.head) }];
  });
}

interface Refused {
  readonly why: string;
  readonly at: string;
  readonly unknownSource: string | null;
}

class UnknownSource extends SigmaRefusal {}

function tryRead<T>(document: unknown, read: () => T): T | Refused {
  try {
    if (typeof document !== "object" || document === null) throw new SigmaRefusal("it is no rule");
    return read();
  } catch (e) {
    if (e instanceof SigmaRefusal)
      return { why: e.message, at: e.at, unknownSource: e instanceof UnknownSource ? e.at : null };
    throw e;
  }
}

const refusal = (name: string, { why, at, unknownSource }: Refused): SigmaOutcome => ({
  name,
  rule: null,
  why,
  at: unknownSource === null ? at : "logsource",
  unknownSource,
});

const isCorrelation = (document: unknown): boolean =>
  typeof document === "object" && document !== null && "correlation" in document;

function nameOf(document: unknown): string {
  const title = typeof document === "object" && document !== null ? (document as { title?: unknown }).title : undefined;
  return typeof title === "string" ? title.slice(0, 120) : "a rule without a title";
}

function parsed<S extends z.ZodType>(schema: S, document: unknown): z.output<S> {
  const read = schema.safeParse(document);
  if (read.success) return read.data;
  const [issue] = read.error.issues;
  throw new SigmaRefusal(issue!.message, issue!.path.join("."));
}

function readDetection(document: unknown, sources: ReadonlyMap<string, string>): Read {
  const rule = parsed(Detection, document);
  const ours = rule.taxonomy === OURS;
  const source: Logsource = rule.logsource;
  const key = sourceKey(source);
  const from = ours && (key === "" || key === `product ${OURS}`) ? EVERYTHING : sourceOf(source, sources);
  if (from === null)
    throw new UnknownSource(key === "" ? "it names no log source" : `nobody has said what “${key}” is here`, key);
  const naming: Naming = { ours, event: from.event, source: key };
  const filter = joined(from.filter, detectionFilter(rule, naming));
  return { head: rule, filter, source: { key, filter: from.filter }, ours };
}

const joined = (from: string, filter: string): string => (from === "" ? filter : `${from} and ${filter}`);

function detectionFilter({ detection }: Detection, naming: Naming): string {
  const { condition, timeframe, ...selections } = detection as Detection["detection"] & { timeframe?: unknown };
  if (timeframe !== undefined)
    throw new SigmaRefusal(
      "a timeframe is not of the specification any more: write a correlation",
      "detection.timeframe",
    );
  const names = Object.keys(selections);
  const filters = new Map(names.map((n) => [n, selectionFilter(selections[n], naming, `detection.${n}`)]));
  // several conditions: any of them
  const conditions = (Array.isArray(condition) ? condition : [condition]).map((c) =>
    say(readCondition(c, names), filters),
  );
  if (conditions.length === 0) throw new SigmaRefusal("it has no condition", "detection.condition");
  return conditions.length === 1 ? conditions[0]! : `(${conditions.join(" or ")})`;
}

function say(condition: Condition, filters: ReadonlyMap<string, string>): string {
  switch (condition.is) {
    case "name":
      return filters.get(condition.name)!;
    case "not":
      return `not ${say(condition.item, filters)}`;
    case "and":
    case "or":
      return `(${condition.items.map((item) => say(item, filters)).join(` ${condition.is} `)})`;
    case "of":
      return `(${condition.names.map((n) => filters.get(n)!).join(condition.all ? " and " : " or ")})`;
  }
}

/** A selection: fields that all hold, a list of such or of words, any of which is enough. */
function selectionFilter(selection: unknown, naming: Naming, at: string): string {
  if (Array.isArray(selection)) {
    if (selection.length === 0) throw new SigmaRefusal("it is empty", at);
    return `(${selection.map((item, i) => selectionFilter(item, naming, `${at}.${i}`)).join(" or ")})`;
  }
  if (typeof selection === "string" || typeof selection === "number")
    // a word of no field stands anywhere in the message
    return comparison({ field: "text" }, ["contains"], selection, at);
  if (typeof selection !== "object" || selection === null) throw new SigmaRefusal("expected fields or words", at);
  const fields = Object.entries(selection);
  if (fields.length === 0) throw new SigmaRefusal("it is empty", at);
  const each = fields.map(([written, value]) => {
    const [name = "", ...modifiers] = written.split("|");
    const lower = modifiers.map((m) => m.toLowerCase());
    const place = `${at}.${written}`;
    if (name !== "") return comparison(fieldIn(name, naming), lower, value, place);
    if (lower.length > 1 || lower[0] !== "all") throw new SigmaRefusal("words take no modifier but all", place);
    return comparison({ field: "text" }, ["contains", "all"], value, place);
  });
  return each.length === 1 ? each[0]! : `(${each.join(" and ")})`;
}

/** A field as its event has it. @throws {UnknownSource} where it has none of that name: its log source may be another here */
function fieldIn(name: string, { ours, event, source }: Naming): FilterName {
  const field = fieldOf(name, ours, event);
  if (field !== null) return field;
  throw new UnknownSource(
    `${event!.called}, which “${source}” is here, has no “${name}”: it would never be met; say another filter where another log has it`,
    source,
  );
}

/** What rules of both kinds have. */
function common(
  head: Head,
): Pick<RuleInput, "name" | "severity" | "clear" | "entities" | "reason" | "notes" | "owner" | "tags" | "references"> {
  const doubts = [head.falsepositives].flat().filter((f) => f.trim() !== "" && fold(f) !== "unknown");
  const techniques = head.tags.flatMap((t) => /^attack\.(t\d{4}(?:\.\d{3})?)$/i.exec(t)?.[1]?.toUpperCase() ?? []);
  return {
    name: clean(head.title, 120),
    severity: LEVELS[head.level],
    clear: { by: "hand" },
    entities: ["user", "src"],
    reason: clean(head.description, 2_000),
    notes: doubts.length === 0 ? "" : clean(`May be harmless: ${doubts.join("; ")}`, 4_000),
    owner: clean(head.author, 120),
    tags: [...new Set(["sigma", ...head.tags.map((t) => clean(t, 60)).filter(Boolean)])].slice(0, 16),
    references: [
      ...techniques.map((t) => `MITRE ATT&CK ${t}`),
      ...head.references.map((r) => clean(r, 300)).filter(Boolean),
    ].slice(0, 16),
  };
}

const clean = (t: string, most: number): string =>
  t
    .replace(/\p{Cc}+/gu, " ")
    .toWellFormed()
    .trim()
    .slice(0, most);

/** An id here of a title there, and of its own id, so that it is the same rule when it comes again. */
function idOf(head: Head): string {
  const slug = fold(head.title)
    .normalize("NFD")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 44)
    .replace(/-+$/, "");
  const own = /^[0-9a-f]{8}/i.exec(head.id ?? "")?.[0]?.toLowerCase();
  return [slug || "sigma", ...(own === undefined ? [] : [own])].join("-");
}

const bare = (title: string): string => clean(title, 160).replace(/[{}]/g, "");

const single = ({ head, filter }: Read): RuleInput => ({
  kind: "count",
  id: idOf(head),
  ...common(head),
  filter,
  key: ["sender"],
  count: 1,
  windowSeconds: SAME_SECONDS,
  title: `${bare(head.title)}: {sender}`,
});

function correlated(rule: Correlation, byName: ReadonlyMap<string, Read | Refused>, notes: string[]): RuleInput {
  const { type, rules, timespan, condition, aliases } = rule.correlation;
  const of = rules.map((name) => {
    const read = byName.get(name);
    if (read === undefined) throw new SigmaRefusal(`there is no rule “${name}” in this file`, "correlation.rules");
    if ("why" in read) throw new SigmaRefusal(`the rule “${name}” of it is refused: ${read.why}`, "correlation.rules");
    return { name, read };
  });
  const groups = rule.correlation["group-by"];
  const ours = of.every(({ read }) => read.ours);
  /** The fields of the group as a rule of it names them. */
  const keyOf = (name: string): FieldName[] =>
    groups.map((group) => {
      const own = aliases[group];
      if (own !== undefined && own[name] === undefined)
        throw new SigmaRefusal(`the alias “${group}” says nothing of the rule “${name}”`, "correlation.aliases");
      return keyField(fieldOf(own?.[name] ?? group, ours, null), group);
    });
  const key = keyOf(rules[0]!);
  const windowSeconds = secondsOf(timespan);
  const base = { id: idOf(rule), ...common(rule), key, windowSeconds };
  const named = key.map((f) => `{${f}}`).join(", ");
  const title = key.length === 0 ? bare(rule.title) : `${bare(rule.title)}: ${named}`;
  notes.push(...notesOf(rule));
  switch (type) {
    case "event_count":
    case "value_count": {
      if (of.length > 1 && Object.keys(aliases).length > 0)
        throw new SigmaRefusal("a count over several rules with aliases cannot be said here", "correlation.aliases");
      const filter =
        of.length === 1 ? of[0]!.read.filter : `(${of.map(({ read }) => `(${read.filter})`).join(" or ")})`;
      const count = leastOf(condition);
      if (type === "event_count") return { kind: "count", ...base, filter, count, title };
      const distinct = condition?.field;
      if (typeof distinct !== "string")
        throw new SigmaRefusal("value_count names no field", "correlation.condition.field");
      if (count < 2) throw new SigmaRefusal("different values begin at two here", "correlation.condition");
      return { kind: "distinct", ...base, filter, of: keyField(fieldOf(distinct, ours, null), distinct), count, title };
    }
    case "temporal":
    case "temporal_ordered": {
      if (condition !== undefined && (Object.keys(condition).length !== 1 || leastOf(condition) !== of.length))
        throw new SigmaRefusal("fewer or more than all of the rules cannot be asked for here", "correlation.condition");
      if (of.length < 2 || of.length > 8) throw new SigmaRefusal("expected two to eight rules", "correlation.rules");
      const parts = of.map(({ name, read }) => ({
        name: clean(read.head.title, 80),
        filter: read.filter,
        key: keyOf(name),
      }));
      return type === "temporal"
        ? { kind: "together", ...base, parts, title }
        : { kind: "sequence", ...base, steps: parts, title };
    }
    default:
      throw new SigmaRefusal(`correlations of the type “${clean(type, 40)}” cannot be said here`, "correlation.type");
  }
}

function keyField(name: FilterName, written: string): FieldName {
  if ("data" in name || fieldNamed(name.field) === undefined)
    throw new SigmaRefusal(
      `records are not grouped by “${clean(written, 60)}” here: it is no common field`,
      "correlation.group-by",
    );
  return name.field;
}

/** Over how many it begins. */
function leastOf(condition: Record<string, unknown> | undefined): number {
  const bounds = Object.entries(condition ?? {}).filter(([name]) => name !== "field");
  const [bound] = bounds;
  if (bounds.length !== 1 || (bound![0] !== "gte" && bound![0] !== "gt") || !Number.isInteger(bound![1]))
    throw new SigmaRefusal(
      "expected gte or gt and a whole number: at most, exactly or a range cannot be said here",
      "correlation.condition",
    );
  return Number(bound![1]) + (bound![0] === "gt" ? 1 : 0);
}

function secondsOf(span: string): number {
  const found = /^(\d{1,6})([smhd])$/.exec(span);
  if (found === null)
    throw new SigmaRefusal(
      "expected a time span as 10m or 2h (months and years are no fixed time)",
      "correlation.timespan",
    );
  return Number(found[1]) * SPANS[found[2]!]!;
}

/** What differs without a loss. */
const notesOf = (head: Head): string[] =>
  head.level === "medium" || head.level === "high" || head.level === "critical"
    ? []
    : [`its level ${head.level} is the severity ${LEVELS[head.level]} here`];

/** What every rule must be: a filter too long or a pattern that is not linear is found here. */
function checked(input: RuleInput): Rule {
  const read = Rule.safeParse(input);
  if (read.success) return read.data;
  const [issue] = read.error.issues;
  throw new SigmaRefusal(issue!.message, issue!.path.join("."));
}
