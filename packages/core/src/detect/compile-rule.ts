import { fold } from "../base/text/index.js";
import { type EpochUs, US_PER_SECOND } from "../base/time/index.js";
import { entityCode, isSpelt, type OwnNames } from "../model/entity/index.js";
import {
  dataValues,
  type Field,
  type FieldName,
  type FieldValue,
  field,
  type HalvikRecord,
  type RecordNames,
} from "../model/record/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import { compileFilter, type Filter, parseFilter, type RecordTest } from "../query/filter/index.js";
import { clearingOf, conditionsOf } from "./conditions.js";
import { addToKey, keyPart } from "./key.js";
import type { Amount, Condition } from "./kinds/kind.js";
import { kindOf } from "./kinds/registry.js";
import type { Run, SavedRun } from "./kinds/run.js";
import { quietUsOf, type Rule } from "./rule.js";

export interface CompiledCondition {
  readonly filter: Filter;
  readonly matches: RecordTest;
  /** Every combination of the key fields' values; none when one is missing. */
  readonly keys: (record: HalvikRecord) => readonly string[];
}

/** A rule ready to run: what it looks for, and how a key of it is begun. */
export interface RuleProgram {
  readonly rule: Rule;
  readonly conditions: readonly CompiledCondition[];
  readonly clearing: CompiledCondition | null;
  /** Places of conditions that must not be met. */
  readonly absent: readonly number[];
  /** It asks for what did not happen: only the watermark can tell. */
  readonly waits: boolean;
  /** What is usual is learnt, key by key. */
  readonly learns: boolean;
  /** It begins to learn with the first record it ever sees, for all its keys. */
  readonly learnsFromFirst: boolean;
  readonly entities: (record: HalvikRecord) => readonly string[];
  readonly values: (record: HalvikRecord) => readonly string[];
  /** Which worse filters a record meets, as bits. */
  readonly worse: (record: HalvikRecord) => number;
  /** What is measured of a record; null: nothing, it is passed over. */
  readonly amount: (record: HalvikRecord) => number | null;
  readonly begin: (saved: SavedRun | null, since: { us: EpochUs }) => Run;
}

/** @param names what rules compiled together share: a record's entities are written once for all of them */
export function compileRule(rule: Rule, directory: SenderDirectory, zone: string, names: EntityNames): RuleProgram {
  const { applications } = directory;
  const compile = (c: Condition): CompiledCondition => {
    const filter = parsed(c.filter, rule.savedFilters);
    // rules may not name time, so "now" has no influence
    return { filter, matches: compileFilter(filter, { directory, nowUs: 0 }), keys: keysBy(c.key, directory) };
  };
  const clearing = clearingOf(rule);
  const named = [...new Set([...rule.key, ...rule.entities])].map((name) => names.of(name));
  const kind = kindOf(rule);
  const distinctOf = kind.distinctOf(rule);
  const of = distinctOf && field(distinctOf);
  return {
    rule,
    conditions: conditionsOf(rule).map(compile),
    clearing: clearing && compile(clearing),
    absent: kind.absent(rule),
    waits: kind.waits(rule),
    learns: kind.learns(rule),
    learnsFromFirst: kind.learnsFromFirst,
    entities: (record) => {
      let all = NONE;
      for (const entitiesOf of named) {
        const own = entitiesOf(record);
        if (own.length > 0) all = all.length === 0 ? own : all.concat(own);
      }
      return all;
    },
    values:
      of === null ? () => NONE : (record) => of.get(record, applications).map((v) => folded(of, v, directory.ours)),
    worse: worseBits(rule, directory),
    amount: amountOf(kind.amount(rule), applications),
    begin: runOf(rule, zone),
  };
}

function worseBits(rule: Rule, directory: SenderDirectory): RuleProgram["worse"] {
  const tests = rule.worse.map((w) =>
    w.filter === undefined ? () => false : compileFilter(parsed(w.filter, rule.savedFilters), { directory, nowUs: 0 }),
  );
  if (!rule.worse.some((w) => w.filter !== undefined)) return () => 0;
  return (record) => tests.reduce((bits, matches, i) => (matches(record) ? bits | (1 << i) : bits), 0);
}

/** Entities of records by field, remembered for the record asked for last: many rules name the same fields. */
export class EntityNames {
  private readonly byField = new Map<FieldName, (record: HalvikRecord) => readonly string[]>();

  constructor(
    private readonly names: RecordNames,
    private readonly ours: OwnNames,
  ) {}

  of(name: FieldName): (record: HalvikRecord) => readonly string[] {
    let entities = this.byField.get(name);
    if (entities === undefined) {
      const { get } = field(name);
      const { names, ours } = this;
      const prefix = entityCode(name, "");
      let last: HalvikRecord | null = null;
      let named = NONE;
      entities = (record) => {
        if (record !== last) {
          last = record;
          named = get(record, names).map((value) => prefix + bounded(ours.short(name, String(value))));
        }
        return named;
      };
      this.byField.set(name, entities);
    }
    return entities;
  }
}

const NONE: readonly string[] = [];
/** The key of a rule that has none. */
const WHOLE: readonly string[] = [""];

/** A filter that a rule was validated with. */
export function parsed(text: string, saved: Rule["savedFilters"]): Filter {
  const result = parseFilter(text, { zone: "UTC", saved });
  if (!result.ok) throw new Error(`rule filter: ${result.error.message}`);
  return result.filter;
}

function keysBy(names: readonly FieldName[], { applications, ours }: SenderDirectory): CompiledCondition["keys"] {
  const fields = names.map(field);
  if (fields.length === 0) return () => WHOLE;
  if (fields.length === 1) {
    const only = fields[0]!;
    return (record) => only.get(record, applications).map((v) => folded(only, v, ours));
  }
  return (record) => {
    let keys: string[] = [];
    for (const [i, f] of fields.entries()) {
      const values = f.get(record, applications);
      if (values.length === 0) return [];
      keys =
        i === 0
          ? values.map((v) => keyPart(folded(f, v, ours)))
          : keys.flatMap((key) => values.map((v) => addToKey(key, keyPart(folded(f, v, ours)))));
    }
    return keys;
  };
}

/** Hosts and users are the same in any case and spelling (`docs/semantics.md` 16). */
const folded = (f: Pick<Field, "type" | "name">, value: FieldValue, ours: OwnNames): string =>
  bounded(
    isSpelt(f.name) ? ours.canonical(f.name, String(value)) : f.type === "text" ? fold(String(value)) : String(value),
  );

/** Parts of keys and entities are bounded: a longer one is told by its beginning, its length and a checksum. */
const MAX_PART = 300;

function bounded(text: string): string {
  if (text.length <= MAX_PART) return text;
  // FNV-1a, 32 bits (draft-eastlake-fnv): only texts with the same 300 characters and length can meet
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  return `${text.slice(0, MAX_PART).toWellFormed()}… ${text.length} ${(hash >>> 0).toString(16)}`;
}

function amountOf(amount: Amount, applications: RecordNames): RuleProgram["amount"] {
  if (amount === null) return () => 0;
  if ("field" in amount) {
    const { get } = field(amount.field);
    return (record) => numberOrNull(get(record, applications)[0]);
  }
  return (record) => numberOrNull(dataValues(record, amount.data)[0]);
}

function numberOrNull(value: FieldValue | undefined): number | null {
  if (value === undefined || value === "") return null;
  const number = Number(value);
  return Number.isFinite(number) ? number : null;
}

function runOf(rule: Rule, zone: string): RuleProgram["begin"] {
  const { severalSteps, begin } = kindOf(rule);
  const quietUs = quietUsOf(rule);
  return begin(rule, { quietUs, holdUs: rule.holdSeconds * US_PER_SECOND, severalSteps }, zone);
}
