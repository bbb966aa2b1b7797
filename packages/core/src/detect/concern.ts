import type { HalvikRecord } from "../model/record/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import { compileFilter, readFilter } from "../query/filter/index.js";
import { type CompiledCondition, compileRule, type RuleProgram } from "./compile-rule.js";
import { conditionsOf } from "./conditions.js";
import type { Rule } from "./rule.js";
import { SharedQuestions } from "./shared-questions.js";

/** What a record is to a rule. */
export interface Concern {
  readonly rule: string;
  readonly name: string;
  /** `near`: all but one part of what a condition asks for. `clears`: it ends a finding. */
  readonly verdict: "met" | "clears" | "near" | "not";
  /** What is missing, in words; "": nothing. */
  readonly missing: string;
}

const ORDER: readonly Concern["verdict"][] = ["met", "clears", "near", "not"];

/** What records are to rules that run; asked as the engine asks. Compiled once: that takes longer than all the asking. */
export class RuleConcerns {
  private readonly programs: readonly RuleProgram[];

  constructor(
    readonly rules: readonly Rule[],
    private readonly directory: SenderDirectory,
    zone: string,
  ) {
    const shared = new SharedQuestions(directory);
    this.programs = rules.filter((r) => r.enabled).map((rule) => compileRule(rule, directory, zone, shared));
  }

  /** What a record is to each rule, the ones it concerns first. */
  of(record: HalvikRecord, nowUs: number): Concern[] {
    return this.programs
      .map(({ rule, conditions, clearing }): Concern => {
        const verdicts = conditions.map((c, i) =>
          verdictOf(c, record, conditionsOf(rule)[i]!.key.join(" and "), this.directory, nowUs),
        );
        const best = [...verdicts].sort((a, b) => ORDER.indexOf(a.verdict) - ORDER.indexOf(b.verdict))[0];
        const found =
          best?.verdict !== "met" && clearing !== null && isMet(clearing, record)
            ? ({ verdict: "clears", missing: "" } as const)
            : (best ?? NOT);
        return { rule: rule.id, name: rule.name, ...found };
      })
      .sort((a, b) => ORDER.indexOf(a.verdict) - ORDER.indexOf(b.verdict));
  }
}

const NOT = { verdict: "not", missing: "" } as const;

const isMet = ({ matches, keys }: CompiledCondition, record: HalvikRecord): boolean =>
  matches(record) && keys(record).length > 0;

function verdictOf(
  { filter, matches, keys }: CompiledCondition,
  record: HalvikRecord,
  key: string,
  directory: SenderDirectory,
  nowUs: number,
): Pick<Concern, "verdict" | "missing"> {
  if (matches(record))
    return keys(record).length > 0
      ? { verdict: "met", missing: "" }
      : { verdict: "near", missing: `it does not say ${key}, by which the rule tells one from another` };
  if (filter.type !== "and") return NOT;
  const missing = filter.items.filter((part) => !compileFilter(part, { directory, nowUs })(record));
  return missing.length === 1 ? { verdict: "near", missing: readFilter(missing[0]!) } : NOT;
}
