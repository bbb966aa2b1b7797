import { type EpochUs, US_PER_SECOND } from "../base/time/index.js";
import { dataValues, type FieldValue, field, type HalvikRecord, type RecordNames } from "../model/record/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import { type Filter, parseFilter, type RecordTest } from "../query/filter/index.js";
import { clearingOf, conditionsOf } from "./conditions.js";
import type { Amount, Condition } from "./kinds/kind.js";
import { Gathering } from "./kinds/measured/gathered.js";
import { kindOf } from "./kinds/registry.js";
import type { Run, SavedRun } from "./kinds/run.js";
import { quietUsOf, type Rule } from "./rule.js";
import type { SharedQuestions } from "./shared-questions.js";

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
  /** Begins to sum records as they come, where that is all the rule needs; null: it looks at each. */
  readonly gather: (() => Gathering) | null;
  readonly begin: (saved: SavedRun | null, since: { us: EpochUs }) => Run;
}

/** @param asked what rules compiled together share */
export function compileRule(rule: Rule, directory: SenderDirectory, zone: string, asked: SharedQuestions): RuleProgram {
  const compile = (c: Condition): CompiledCondition => {
    const filter = parsed(c.filter, rule.savedFilters);
    return { filter, matches: asked.test(filter), keys: asked.keysBy(c.key) };
  };
  const clearing = clearingOf(rule);
  const kind = kindOf(rule);
  const distinctOf = kind.distinctOf(rule);
  const gathersUs = kind.gathersUs(rule);
  return {
    rule,
    conditions: conditionsOf(rule).map(compile),
    clearing: clearing && compile(clearing),
    absent: kind.absent(rule),
    waits: kind.waits(rule),
    learns: kind.learns(rule),
    learnsFromFirst: kind.learnsFromFirst,
    entities: asked.entitiesOf([...new Set([...rule.key, ...rule.entities])]),
    values: distinctOf === null ? () => NONE : asked.valuesOf(distinctOf),
    worse: worseBits(rule, asked),
    amount: amountOf(kind.amount(rule), directory.applications),
    gather: gathersUs === null ? null : () => new Gathering(gathersUs, SETTLE_STEP_US),
    begin: runOf(rule, zone),
  };
}

function worseBits(rule: Rule, asked: SharedQuestions): RuleProgram["worse"] {
  const tests = rule.worse.map((w) =>
    w.filter === undefined ? () => false : asked.test(parsed(w.filter, rule.savedFilters)),
  );
  if (!rule.worse.some((w) => w.filter !== undefined)) return () => 0;
  return (record) => tests.reduce((bits, matches, i) => (matches(record) ? bits | (1 << i) : bits), 0);
}

/** Watermarks move in steps, so that settled state is not written at every batch. */
const SETTLE_STEP_US = 5 * US_PER_SECOND;
/** How far records are settled at a watermark. */
export const settledAt = (watermarkUs: EpochUs): EpochUs => Math.floor(watermarkUs / SETTLE_STEP_US) * SETTLE_STEP_US;

const NONE: readonly string[] = [];

/** A filter that a rule was validated with. */
export function parsed(text: string, saved: Rule["savedFilters"]): Filter {
  const result = parseFilter(text, { zone: "UTC", saved });
  if (!result.ok) throw new Error(`rule filter: ${result.error.message}`);
  return result.filter;
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
