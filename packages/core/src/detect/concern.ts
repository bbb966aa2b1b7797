import type { HalvikRecord } from "../model/record/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import { compileFilter, readFilter } from "../query/filter/index.js";
import { type CompiledCondition, compileRule } from "./compile-rule.js";
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

/** What a record is to each rule that runs, the ones it concerns first; asked as the engine asks. */
export function concernsOf(
  rules: readonly Rule[],
  directory: SenderDirectory,
  record: HalvikRecord,
  { zone, nowUs }: { readonly zone: string; readonly nowUs: number },
): Concern[] {
  const shared = new SharedQuestions(directory);
  return rules
    .filter((rule) => rule.enabled)
    .map((rule): Concern => {
      const { conditions, clearing } = compileRule(rule, directory, zone, shared);
      const verdicts = conditions.map((c, i) =>
        verdictOf(c, record, conditionsOf(rule)[i]!.key.join(" and "), directory, nowUs),
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
